from django.apps import AppConfig


class InspectionsConfig(AppConfig):
    name = "brisk_web.inspections"
    default_auto_field = "django.db.models.BigAutoField"
