"""The engine kit: kit.json, atlas pages, scene.glb."""
