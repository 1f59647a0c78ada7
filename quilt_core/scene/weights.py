"""Bounds of weights: how many times the density of others an island or object may have."""

LOWEST_WEIGHT, HIGHEST_WEIGHT = 0.01, 100.0
