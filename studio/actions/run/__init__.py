"""The run sheet of a project: lines that bring an atlas up to date in one go."""
