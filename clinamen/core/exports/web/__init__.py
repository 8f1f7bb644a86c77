"""The web page: the scene as CSS, the page around it, and the player."""
