"""The server: projects, layouts as chains of revisions, jobs."""
