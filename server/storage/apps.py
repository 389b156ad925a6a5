from django.apps import AppConfig


class StorageConfig(AppConfig):
    name = "server.storage"
    label = "storage"
