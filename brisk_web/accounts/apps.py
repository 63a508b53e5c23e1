from django.apps import AppConfig
from django.db.models.signals import post_migrate


class AccountsConfig(AppConfig):
    name = "brisk_web.accounts"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from brisk_web.accounts.roles import ensure_roles

        post_migrate.connect(ensure_roles, dispatch_uid="brisk-roles")
