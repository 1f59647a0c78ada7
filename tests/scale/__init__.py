"""The application on engines of more than one machine: PostgreSQL, Redis, S3-compatible storage, several web processes and workers."""
