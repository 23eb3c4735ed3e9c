from django.apps import AppConfig


class StudiesConfig(AppConfig):
    name = "upperwick.studies"
    label = "studies"
