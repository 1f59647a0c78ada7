"""Carry over: pictures of painted objects on their shared layout."""
