from django.apps import AppConfig


class HouseConfig(AppConfig):
    name = "brisk_web.house"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.house import receivers  # noqa: F401 - they hear from now on
