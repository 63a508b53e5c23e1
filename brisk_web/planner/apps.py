from django.apps import AppConfig


class PlannerConfig(AppConfig):
    name = "brisk_web.planner"
    default_auto_field = "django.db.models.BigAutoField"
