from django.apps import AppConfig


class MarketConfig(AppConfig):
    name = "upperwick.market"
    label = "market"
