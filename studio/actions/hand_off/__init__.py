"""Hand off: files and reports."""
