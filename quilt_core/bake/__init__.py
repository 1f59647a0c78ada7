"""The test bake: rays between a high poly and a low poly mesh, and the maps that they give."""
