from django.apps import AppConfig


class YearsConfig(AppConfig):
    name = "workbench.years"
