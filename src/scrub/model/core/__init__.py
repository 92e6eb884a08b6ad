"""What all kinds are made of: declarations, values, problems, changes."""
