"""Hosts of their own on one machine: network namespaces, each with a cable to here that can be pulled.

Needs root and Debian's iproute2. `HERE` is where both reach what runs on this machine.
"""

import secrets
import subprocess
from typing import Any
from unittest import TestCase

HERE = "10.211.0.1"


class NoNetwork(Exception):
    """There are no namespaces to be had here."""


def ip(*words: str) -> None:
    """Raises NoNetwork with what it said."""
    try:
        done = subprocess.run(["ip", *words], capture_output=True, text=True, check=False)
    except FileNotFoundError:
        raise NoNetwork("iproute2 is not installed") from None
    if done.returncode:
        raise NoNetwork(f"ip {' '.join(words)}: {done.stderr.strip()}")


class Host:
    """One namespace. Use as a context manager."""

    def __init__(self, number: int) -> None:
        mark = secrets.token_hex(2)
        self.name, self._near, self._far = f"attic-{mark}-{number}", f"at{mark}{number}n", f"at{mark}{number}f"
        self._net = f"10.211.{1 + 2 * secrets.randbelow(127) + number % 2}"  # what a killed test left behind is hardly in the way

    def __enter__(self) -> "Host":
        ip("netns", "add", self.name)
        try:
            ip("link", "add", self._near, "type", "veth", "peer", "name", self._far)
            ip("link", "set", self._far, "netns", self.name)
            ip("addr", "add", f"{self._net}.1/24", "dev", self._near)
            ip("link", "set", self._near, "up")
            for words in (
                ("addr", "add", f"{self._net}.2/24", "dev", self._far),
                ("link", "set", self._far, "up"),
                ("link", "set", "lo", "up"),
                ("route", "add", "default", "via", f"{self._net}.1"),
            ):
                ip("-n", self.name, *words)
        except NoNetwork:
            self.__exit__()
            raise
        return self

    def __exit__(self, *error: object) -> None:
        subprocess.run(["ip", "netns", "del", self.name], capture_output=True, check=False)

    def start(self, command: list[Any], **options: Any) -> "subprocess.Popen[bytes]":
        return subprocess.Popen(["ip", "netns", "exec", self.name, *map(str, command)], **options)

    def pull_the_cable(self) -> None:
        ip("link", "set", self._near, "down")


def this_machine(test: TestCase) -> None:
    """Has the address `HERE` for as long as the test lasts."""
    ip("addr", "replace", f"{HERE}/32", "dev", "lo")
    test.addCleanup(subprocess.run, ["ip", "addr", "del", f"{HERE}/32", "dev", "lo"], capture_output=True, check=False)
