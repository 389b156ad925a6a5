from django.apps import AppConfig


class StorageConfig(AppConfig):
    """The app, as Django knows it."""

    name = "server.storage"
    label = "storage"
