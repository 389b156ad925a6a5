from django.apps import AppConfig


class PlansConfig(AppConfig):
    name = "server.plans"
    label = "plans"
