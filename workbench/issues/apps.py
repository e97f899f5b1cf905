from django.apps import AppConfig


class IssuesConfig(AppConfig):
    name = "workbench.issues"
