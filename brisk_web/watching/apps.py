from django.apps import AppConfig


class WatchingConfig(AppConfig):
    name = "brisk_web.watching"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.watching import tasks  # noqa: F401 - works
