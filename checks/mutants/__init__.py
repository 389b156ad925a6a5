"""Does a test notice when a line is broken? One fault at a time, in a sample that a seed decides."""
