"""The project file: a document with its history, as one file that stands by itself (docs/project-file.md)."""
