"""Sign the answer whether a device may be wiped: it goes into the journal as it stands, and can be printed."""

from datetime import datetime
from typing import Any

from django.db import transaction

from core.content.kinds import KINDS
from core.coverage.kinds import KindCover
from core.coverage.wipe import Answer
from core.errors import BadInput
from server import ports
from server.fleet.models import Device
from server.oversight.models import WipeAnswer
from server.oversight.wipe import answer
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.models import OCCASION_WORDS, Backup, Occasion


@transaction.atomic
def sign_off(device: Device, *, occasion: str, note: str, by: User) -> WipeAnswer:
    """The answer of this moment, whatever the page showed before. Raises BadInput."""
    if occasion not in Occasion.values or not occasion:
        raise BadInput("A signed answer needs its occasion.", field="occasion", remedy="Say what will happen to the device.")
    now = ports.clock().now()
    answered, cover, look, newest = answer(device, now=now)
    fields = _told(device, answered, cover, look.at if look else None, newest)
    signed = WipeAnswer.objects.create(
        device=device, at=now, by=by, occasion=occasion, note=note.strip()[:300], safe=answered.safe, told=fields
    )
    words = OCCASION_WORDS[Occasion(occasion)]
    write_journal(
        who=by,
        what="device.wipe_answered",
        facts={"device": device.name, "holder": device.holder.name, "words": words, "says": answered.says},
        at=now,
        device=device.id,
    )
    return signed


def _told(device: Device, answered: Answer, cover: list[KindCover], looked_at: datetime | None, newest: Backup | None) -> dict[str, Any]:
    return {
        "device": {
            "name": device.name, "holder": device.holder.name, "team": device.team.name if device.team else "", "make": device.make,
            "model": device.model, "serial": device.serial, "asset_tag": device.asset_tag, "os_version": device.os_version,
        },
        "says": answered.says,
        "reasons": [{"blocks": one.blocks, "says": one.says, "step": one.step} for one in answered.reasons],
        "looked_at": looked_at.isoformat() if looked_at else None,
        "backup_at": newest.finished_at.isoformat() if newest else None,
        "backup_items": newest.items if newest else 0,
        "backup_bytes": newest.size_bytes if newest else 0,
        "stores": [copy.store.name for copy in newest.present if copy.intact] if newest else [],  # type: ignore[attr-defined]
        "kinds": [
            {"label": KINDS[one.kind].label, "says": one.says, "items": one.newest.items if one.newest else 0,
             "on_device": one.live.items if one.live else None}
            for one in cover
        ],
    }  # fmt: skip
