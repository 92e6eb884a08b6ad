"""Mailboxes on a server (IMAP, RFC 9051 and 3501)."""
