"""Pictures: what they say of themselves is changed in place, their points only where that is asked for."""
