from django.apps import AppConfig


class WorkConfig(AppConfig):
    name = "brisk_web.work"
    default_auto_field = "django.db.models.BigAutoField"
