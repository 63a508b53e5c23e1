from django.apps import AppConfig


class StorageConfig(AppConfig):
    name = "brisk_web.storage"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.storage import house_data  # noqa: F401 - what workers make sure of
