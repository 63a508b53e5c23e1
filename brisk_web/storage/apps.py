from django.apps import AppConfig


class StorageConfig(AppConfig):
    name = "brisk_web.storage"
    default_auto_field = "django.db.models.BigAutoField"
