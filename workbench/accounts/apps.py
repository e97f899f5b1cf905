from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "workbench.accounts"
