from django.apps import AppConfig


class GatheringConfig(AppConfig):
    name = "trochos.server.gathering"
    label = "gathering"
    default_auto_field = "django.db.models.BigAutoField"
