from django.apps import AppConfig


class SurveysConfig(AppConfig):
    name = "trochos.server.surveys"
    label = "surveys"
    default_auto_field = "django.db.models.BigAutoField"
