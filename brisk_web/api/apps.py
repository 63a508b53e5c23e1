from django.apps import AppConfig


class ApiConfig(AppConfig):
    name = "brisk_web.api"
    default_auto_field = "django.db.models.BigAutoField"
