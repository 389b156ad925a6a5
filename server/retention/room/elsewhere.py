"""What room costs: the same bytes as a larger allowance."""

from dataclasses import dataclass

from core.quota.ladder import Rung
from core.units import GIB, iec
from server.storage.models import Store


@dataclass(frozen=True, slots=True, kw_only=True)
class Elsewhere:
    """Room that could be had in another place."""

    rung: Rung
    title: str
    loses: str
    bytes: int


def more_space(store: Store, wanted: int) -> Elsewhere | None:
    """None where nothing limits the store."""
    if store.allowance_bytes is None:
        return None
    loses = "nothing"
    if store.price_gib_month:
        loses += f"; about {wanted / GIB * store.price_gib_month / 10_000:.2f} {store.currency} a month"
    return Elsewhere(rung=Rung.MORE_SPACE, title=f"A larger allowance: {iec(store.allowance_bytes + wanted)}", loses=loses, bytes=wanted)
