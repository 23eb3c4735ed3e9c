from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "upperwick.accounts"
    label = "accounts"
