from django.apps import AppConfig


class UiConfig(AppConfig):
    name = "brisk_web.ui"
    default_auto_field = "django.db.models.BigAutoField"
