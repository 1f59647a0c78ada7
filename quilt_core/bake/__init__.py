"""The rehearsal: rays between a fine and a coarse mesh, and the maps that they give."""
