"""When runs are due, how long they take, and whether each device keeps its promise."""
