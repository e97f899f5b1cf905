from django.apps import AppConfig


class SuppliesConfig(AppConfig):
    name = "workbench.supplies"
