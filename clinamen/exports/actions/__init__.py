"""What people do with exports."""
