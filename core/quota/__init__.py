"""What bytes in a deduplicated store belong to whom, and whether a run will fit."""
