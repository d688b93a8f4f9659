"""Migrations, run at every start."""
