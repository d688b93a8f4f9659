"""The command line: a file for each group of commands."""
