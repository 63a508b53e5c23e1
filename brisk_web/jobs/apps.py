from django.apps import AppConfig


class JobsConfig(AppConfig):
    name = "brisk_web.jobs"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.jobs import receivers  # noqa: F401 - subscribes
