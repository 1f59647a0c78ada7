"""Prove: figures, findings, rules, fixes."""
