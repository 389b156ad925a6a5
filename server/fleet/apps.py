from django.apps import AppConfig


class FleetConfig(AppConfig):
    """The app, as Django knows it."""

    name = "server.fleet"
    label = "fleet"
