"""Pictures: what they say of themselves is changed in place, their pixels only where that is asked for."""
