"""What changed between two documents, in the sheet's words."""
