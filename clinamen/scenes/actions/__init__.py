"""What people do with scenes, one use case a module: who may, what changes, what is kept of it."""
