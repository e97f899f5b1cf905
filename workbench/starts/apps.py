from django.apps import AppConfig


class StartsConfig(AppConfig):
    name = "workbench.starts"
