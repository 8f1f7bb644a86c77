"""What several processes and machines have in common: a memory, and word of what changed."""
