from django.apps import AppConfig


class OversightConfig(AppConfig):
    """The app, as Django knows it."""

    name = "server.oversight"
    label = "oversight"
