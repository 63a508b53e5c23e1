from django.apps import AppConfig


class HouseConfig(AppConfig):
    name = "brisk_web.house"
    default_auto_field = "django.db.models.BigAutoField"
