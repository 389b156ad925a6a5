from django.apps import AppConfig


class RetentionConfig(AppConfig):
    """The app, as Django knows it."""

    name = "server.retention"
    label = "retention"
