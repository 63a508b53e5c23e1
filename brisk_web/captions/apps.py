from django.apps import AppConfig


class CaptionsConfig(AppConfig):
    name = "brisk_web.captions"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.captions import receivers  # noqa: F401 - subscribes, and registers the kinds of work
