from django.apps import AppConfig


class DemoConfig(AppConfig):
    name = "brisk_web.demo"
    default_auto_field = "django.db.models.BigAutoField"
