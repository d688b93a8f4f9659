"""What is kept: patches, their drafts and every saved revision, in PostgreSQL."""
