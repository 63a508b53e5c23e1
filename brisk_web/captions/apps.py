from django.apps import AppConfig


class CaptionsConfig(AppConfig):
    name = "brisk_web.captions"
    default_auto_field = "django.db.models.BigAutoField"
