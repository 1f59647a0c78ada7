"""Django's SQLite, with its writers taking turns."""
