from django.apps import AppConfig


class MastersConfig(AppConfig):
    name = "brisk_web.masters"
    default_auto_field = "django.db.models.BigAutoField"
