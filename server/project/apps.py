from django.apps import AppConfig


class ProjectConfig(AppConfig):
    name = "server.project"
    label = "project"

    def ready(self) -> None:
        from server.fleet import objections as of_devices
        from server.plans.objections import enter
        from server.project import checks  # noqa: F401
        from server.recovery.actions.forget_restores import forget_in_restores
        from server.retention.actions import forget_erased
        from server.retention.actions.erase_in import look_again
        from server.retention.consequences import object_to_unseen, object_to_unseen_of_devices
        from server.runs import arrivals

        enter(object_to_unseen)
        of_devices.enter(object_to_unseen_of_devices)
        arrivals.enter(look_again)
        forget_erased.enter(forget_in_restores)
