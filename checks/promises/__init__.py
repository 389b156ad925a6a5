"""The promises of the product, one file each, and what tries to break them. A later capability adds its own tries."""
