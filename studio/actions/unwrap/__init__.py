"""Mend: layouts that are made or changed here; each makes new base layouts."""
