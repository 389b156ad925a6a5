"""Removable drives of the office: folders that are there while they are plugged in, and hidden while they are not.

A drive that is taken out keeps its content under a name that begins with a dot; whoever looks for drives passes over such.
"""

from pathlib import Path

_OUT = ".out-"


class Drives:
    """Below one folder, the desk of the office."""

    def __init__(self, desk: Path) -> None:
        self._desk = desk
        desk.mkdir(parents=True, exist_ok=True)

    def described(self) -> dict[str, bool]:
        """Name → whether it is plugged in."""
        names = [path.name for path in self._desk.iterdir() if path.is_dir()]
        return {name.removeprefix(_OUT): not name.startswith(_OUT) for name in sorted(names, key=lambda name: name.removeprefix(_OUT))}

    def plug(self, name: str, *, in_: bool) -> None:
        """Raises ValueError for a drive that does not exist."""
        if name not in self.described():
            raise ValueError(f"no such drive: {name}")
        there, out = self._desk / name, self._desk / f"{_OUT}{name}"
        if in_ and out.is_dir():
            out.rename(there)
        elif not in_ and there.is_dir():
            there.rename(out)
