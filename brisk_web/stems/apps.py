from django.apps import AppConfig


class StemsConfig(AppConfig):
    name = "brisk_web.stems"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.stems import adding_up  # noqa: F401 - registers the kind of work
