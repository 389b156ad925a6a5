"""A port that stays this process's own while nobody listens on it.

A device that hangs up and listens again must be found where it was. Between the two, any other process could be
given its port; so a socket that is bound and never listens keeps it. Connections to it are refused, as those to
a device that is away.
"""

import socket


class HeldPort:
    """Loopback. 0 takes a free one; a number that somebody else has raises OSError."""

    def __init__(self, port: int = 0) -> None:
        self._socket = socket.socket()
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            self._socket.bind(("127.0.0.1", port))
        except OSError:
            self._socket.close()
            raise
        self.number: int = self._socket.getsockname()[1]

    def close(self) -> None:
        self._socket.close()


def held_port(wanted: int) -> HeldPort:
    """The port that was had before, if it can still be had; else a free one."""
    try:
        return HeldPort(wanted)
    except OSError:
        return HeldPort()
