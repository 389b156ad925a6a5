"""A line that is cut once so many bytes have gone from us to the server."""

import contextlib
import socket
import threading


class CutLine:
    def __init__(self, port: int, *, after_bytes: int) -> None:
        self._behind, self._left = port, after_bytes
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.port = self._listening.getsockname()[1]

    def __enter__(self) -> "CutLine":
        threading.Thread(target=self._serve, daemon=True).start()
        return self

    def __exit__(self, *error: object) -> None:
        self._listening.close()

    def _serve(self) -> None:
        with contextlib.suppress(OSError):  # closed at the end
            while True:
                client, _ = self._listening.accept()
                server = socket.create_connection(("127.0.0.1", self._behind))
                threading.Thread(target=self._pass, args=(server, client, None), daemon=True).start()
                threading.Thread(target=self._pass, args=(client, server, self._left), daemon=True).start()

    def _pass(self, source: socket.socket, target: socket.socket, left: int | None) -> None:
        with contextlib.suppress(OSError):  # the other direction has ended both
            while piece := source.recv(65536):
                target.sendall(piece if left is None else piece[:left])
                if left is not None:
                    left -= len(piece)
                    if left <= 0:
                        break
        for end in (source, target):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
