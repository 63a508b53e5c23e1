from django.apps import AppConfig


class ChecksConfig(AppConfig):
    name = "brisk_web.checks"
    default_auto_field = "django.db.models.BigAutoField"
