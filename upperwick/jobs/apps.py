from django.apps import AppConfig


class JobsConfig(AppConfig):
    name = "upperwick.jobs"
    label = "jobs"
