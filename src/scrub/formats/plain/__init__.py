"""Plain texts and Markdown."""
