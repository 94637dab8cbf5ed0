from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "trochos.server.accounts"
    label = "accounts"
    default_auto_field = "django.db.models.BigAutoField"
