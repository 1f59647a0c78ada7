"""The command line: a second door to the core, for pipelines."""
