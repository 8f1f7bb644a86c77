"""PostgreSQL with patience: a database that is there but does not answer is given up on, not waited for without end."""
