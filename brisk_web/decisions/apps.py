from django.apps import AppConfig


class DecisionsConfig(AppConfig):
    name = "brisk_web.decisions"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.decisions import receivers  # noqa: F401 - subscribes
