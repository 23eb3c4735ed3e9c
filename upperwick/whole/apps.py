from django.apps import AppConfig


class WholeConfig(AppConfig):
    name = "upperwick.whole"
    label = "whole"
