"""The history: how a change is appended, and stepping through."""
