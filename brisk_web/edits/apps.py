from django.apps import AppConfig


class EditsConfig(AppConfig):
    name = "brisk_web.edits"
    default_auto_field = "django.db.models.BigAutoField"
