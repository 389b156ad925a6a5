from django.apps import AppConfig


class Config(AppConfig):
    """The app, as Django knows it."""

    name = "server.telling"
