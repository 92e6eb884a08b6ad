"""What PDFs and picture files share: how pictures are made up inside, the packages that read them, and fonts."""
