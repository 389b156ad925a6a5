from django.apps import AppConfig


class ProjectConfig(AppConfig):
    name = "server.project"
    label = "project"

    def ready(self) -> None:
        from server.plans.objections import enter
        from server.project import checks  # noqa: F401
        from server.retention.consequences import object_to_unseen

        enter(object_to_unseen)
