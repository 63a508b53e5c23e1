from django.apps import AppConfig


class PlannerConfig(AppConfig):
    name = "brisk_web.planner"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.planner import outside  # noqa: F401 - registers the kind of work
