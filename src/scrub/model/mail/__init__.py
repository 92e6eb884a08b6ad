"""Mailboxes and messages."""
