"""The rules of the job, in plain Python: no Django, no sockets, no wall clock, no environment."""
