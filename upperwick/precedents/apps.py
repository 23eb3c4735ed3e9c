from django.apps import AppConfig


class PrecedentsConfig(AppConfig):
    name = "upperwick.precedents"
    label = "whole"  # what its table is named after
