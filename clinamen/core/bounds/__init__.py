"""What a scene covers and needs over all driver states: boxes taken back through the stage, opaque sets, the search."""
