from django.apps import AppConfig


class RecoveryConfig(AppConfig):
    """The app, as Django knows it."""

    name = "server.recovery"
    label = "recovery"
