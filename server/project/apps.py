from django.apps import AppConfig


class ProjectConfig(AppConfig):
    name = "server.project"
    label = "project"

    def ready(self) -> None:
        from server.project import checks  # noqa: F401
