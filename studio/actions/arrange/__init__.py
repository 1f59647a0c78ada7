"""Arrange: packing and single islands."""
