"""Messages in files (.eml), in mailboxes that are files (mbox) and in mailboxes that are folders (Maildir)."""
