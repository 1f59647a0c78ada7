"""Even out: densities and what they depend on."""
