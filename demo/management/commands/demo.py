"""`./attic manage demo`: fill an empty installation with the demo office."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError

from demo.build import DemoExists, build


class Command(BaseCommand):
    help = "Fill an empty installation with the made-up office of Saltmarsh & Pike and two weeks of real backups."

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            build(lambda says: self.stdout.write(says))
        except DemoExists as error:
            raise CommandError(str(error)) from None
