"""``untold-quilt run``: bring a run sheet up to date."""
