"""Simulated outside world: a small fleet of devices that speak the agent protocol over real sockets.

Shares no code with the product; both follow `docs/agent-protocol.md`.
"""
