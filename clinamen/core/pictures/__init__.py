"""Pictures: read within limits in child processes, encoded, and kept on a shelf by content with their recipes run."""
