from django.apps import AppConfig


class ChecksConfig(AppConfig):
    name = "brisk_web.checks"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.checks import receivers  # noqa: F401 - subscribes
