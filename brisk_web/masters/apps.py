from django.apps import AppConfig


class MastersConfig(AppConfig):
    name = "brisk_web.masters"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.masters import comparing  # noqa: F401 - registers the kind of work
