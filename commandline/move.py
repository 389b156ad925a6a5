"""Bring a store to another place: needs no passphrase, since nothing is opened."""

import argparse

from commandline.answers import DONE, answer
from commandline.progress import Meter
from commandline.stores import blobs_of
from core.units import iec
from core.vault.moving import move_objects


def move_store(options: argparse.Namespace) -> int:
    """Every object as it lies. The old place stays as it is."""
    meter = Meter("Moving")
    try:
        count = move_objects(
            blobs_of(options.store, options.endpoint),
            blobs_of(options.to, options.to_endpoint or options.endpoint, make=True),
            on_progress=meter,
        )
    finally:
        meter.close()
    lines = [
        f"{options.to} holds the whole store now, {iec(count)}.",
        "Check it, give the server its new place under Storage, and only then remove the old one.",
    ]
    answer({"bytes": count}, lines, as_json=options.json)
    return DONE
