from django.apps import AppConfig


class WallsConfig(AppConfig):
    name = "workbench.walls"
