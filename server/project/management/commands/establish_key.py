"""`establish_key`: make the server's key at a first start, or say how it stands."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError

from core.errors import AtticError
from server.oversight.actions.establish_key import establish_key


class Command(BaseCommand):
    """Makes the server's key at a first start."""

    help = "Make the server's key at a first start, or say how it stands."

    def handle(self, *args: Any, **options: Any) -> None:
        """As Django asks for it."""
        try:
            state = establish_key()
        except AtticError as error:
            raise CommandError(f"{error.message} {error.remedy}") from None
        self.stdout.write(f"{state.trouble} {state.remedy}" if state.trouble else "")
