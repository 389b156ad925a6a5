"""`./attic bench …`: figures, each a ratio to a baseline that is measured in the same run."""
