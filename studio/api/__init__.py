"""The HTTP API: thin callers of actions."""
