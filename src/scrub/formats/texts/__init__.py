"""What all formats of documents share: paragraphs with their stretches."""
