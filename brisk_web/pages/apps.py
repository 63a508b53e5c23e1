from django.apps import AppConfig


class PagesConfig(AppConfig):
    name = "brisk_web.pages"
    default_auto_field = "django.db.models.BigAutoField"
