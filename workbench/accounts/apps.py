from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "workbench.accounts"

    def ready(self) -> None:
        from . import guesses

        assert guesses  # importing it listens for log-ins that are locked
