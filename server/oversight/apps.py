from django.apps import AppConfig


class OversightConfig(AppConfig):
    name = "server.oversight"
    label = "oversight"
