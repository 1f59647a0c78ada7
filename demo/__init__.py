"""The demo project: a harbour lighthouse diorama, made by code."""
