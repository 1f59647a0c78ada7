"""Benchmarks: figures as ratios to a reference measured in the same run."""
