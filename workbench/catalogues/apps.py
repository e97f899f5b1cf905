from django.apps import AppConfig


class CataloguesConfig(AppConfig):
    name = "workbench.catalogues"
    default_auto_field = "django.db.models.BigAutoField"
