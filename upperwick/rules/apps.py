from django.apps import AppConfig


class RulesConfig(AppConfig):
    name = "upperwick.rules"
    label = "rules"
