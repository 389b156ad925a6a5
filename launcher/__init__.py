"""Starts and tests Old Attic on one machine: sets up what is missing, runs the processes, stops them again.

Standard library only: it runs before anything is installed.
"""
