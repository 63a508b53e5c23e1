from django.apps import AppConfig


class ShelfConfig(AppConfig):
    name = "brisk_web.shelf"
    default_auto_field = "django.db.models.BigAutoField"
