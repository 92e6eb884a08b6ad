"""Messages on their way to a mail server."""
