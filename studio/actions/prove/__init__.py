"""Prove: figures, findings, rules, cures."""
