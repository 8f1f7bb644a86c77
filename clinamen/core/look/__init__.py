"""A layer's look: steps that change what it looks like, and what they are made of. It knows nothing of scenes."""
