"""Tools for those who work on Jorvik."""
