"""What a device holds: kinds, items, inventories, families, and the port through which it is reached."""
