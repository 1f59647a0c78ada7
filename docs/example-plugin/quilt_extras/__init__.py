"""One of each thing that a package can add to Untold Quilt."""
