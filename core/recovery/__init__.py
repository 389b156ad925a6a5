"""Getting things back: what is chosen, what stands in the way, what was written, what was found afterwards."""
