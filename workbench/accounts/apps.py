from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "workbench.accounts"

    def ready(self) -> None:
        from . import guesses  # noqa: F401  importing it listens for log-ins that are locked
