"""Computation for UV layouts: arrays in, arrays out, no interface, no server."""
