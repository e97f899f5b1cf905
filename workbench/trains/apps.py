from django.apps import AppConfig


class TrainsConfig(AppConfig):
    name = "workbench.trains"
