"""A project as plain, typed, frozen data."""
