"""The project itself."""
