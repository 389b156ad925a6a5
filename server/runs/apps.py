from django.apps import AppConfig


class RunsConfig(AppConfig):
    """The app, as Django knows it."""

    name = "server.runs"
    label = "runs"
