from django.apps import AppConfig


class StemsConfig(AppConfig):
    name = "brisk_web.stems"
    default_auto_field = "django.db.models.BigAutoField"
