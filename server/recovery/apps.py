from django.apps import AppConfig


class RecoveryConfig(AppConfig):
    name = "server.recovery"
    label = "recovery"
