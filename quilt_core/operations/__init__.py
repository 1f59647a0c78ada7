"""What a user can do: one module each, settings in, result out; and their registry."""
