"""The vault: the engine and the on-disk format of a store. `docs/vault-format.md` is its contract; § cites it."""
