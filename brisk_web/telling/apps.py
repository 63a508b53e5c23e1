from django.apps import AppConfig


class TellingConfig(AppConfig):
    name = "brisk_web.telling"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.telling import dates, hooks, receivers  # noqa: F401 - subscribes, mends, works
