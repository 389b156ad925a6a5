from django.apps import AppConfig


class FleetConfig(AppConfig):
    name = "server.fleet"
    label = "fleet"
