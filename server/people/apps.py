from django.apps import AppConfig


class PeopleConfig(AppConfig):
    """The app, as Django knows it."""

    name = "server.people"
    label = "people"
