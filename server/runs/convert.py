"""From the vault's words to rows."""

from typing import Any

from core.vault.manifests import Manifest


def told_kinds(manifest: Manifest) -> list[dict[str, Any]]:
    """What a backup holds of each kind, as its row keeps it."""
    return [
        {
            "kind": one.kind,
            "items": one.items,
            "size_bytes": one.size_bytes,
            "newest_name": one.newest_name,
            "newest_at": one.newest_at.isoformat() if one.newest_at else None,
        }
        for one in manifest.kinds
    ]
