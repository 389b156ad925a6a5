from django.apps import AppConfig


class ProjectConfig(AppConfig):
    """The app, as Django knows it."""

    name = "server.project"
    label = "project"

    def ready(self) -> None:
        """Apps tell what is remembered of them, and who is asked before a change."""
        from server.fleet import ageing as of_fleet
        from server.fleet import objections as of_devices
        from server.oversight import ageing as of_oversight
        from server.people import ageing as of_people
        from server.plans.objections import enter
        from server.project import checks  # noqa: F401
        from server.recovery import ageing as of_recovery
        from server.recovery.actions.forget_restores import forget_in_restores
        from server.retention.actions import forget_erased
        from server.retention.actions.erase_in import look_again
        from server.retention.consequences import object_to_unseen, object_to_unseen_of_devices
        from server.runs import ageing as of_runs
        from server.runs import arrivals
        from server.telling import ageing as of_telling

        for app in (of_people, of_fleet, of_runs, of_recovery, of_oversight, of_telling):
            app.enter_ages()
        enter(object_to_unseen)
        of_devices.enter(object_to_unseen_of_devices)
        arrivals.enter(look_again)
        forget_erased.enter(forget_in_restores)
