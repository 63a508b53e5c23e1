from django.apps import AppConfig


class BackupsConfig(AppConfig):
    name = "brisk_web.backups"
