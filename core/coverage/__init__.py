"""What of a device is safe elsewhere: coverage by kind, and whether the device may be wiped."""
