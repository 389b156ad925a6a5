from django.apps import AppConfig


class RetentionConfig(AppConfig):
    name = "server.retention"
    label = "retention"
