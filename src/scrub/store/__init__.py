"""The one place that writes people's files: all at once, and so that it can be undone."""
