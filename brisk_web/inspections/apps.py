from django.apps import AppConfig


class InspectionsConfig(AppConfig):
    name = "brisk_web.inspections"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.inspections import keeping, receivers  # noqa: F401 - they subscribe and register
