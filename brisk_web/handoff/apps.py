from django.apps import AppConfig


class HandoffConfig(AppConfig):
    name = "brisk_web.handoff"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.handoff import looking, receivers, sending  # noqa: F401 - kinds of work, and what is heard
