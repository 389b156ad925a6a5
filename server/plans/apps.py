from django.apps import AppConfig


class PlansConfig(AppConfig):
    """The app, as Django knows it."""

    name = "server.plans"
    label = "plans"
