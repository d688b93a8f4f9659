"""Requests over HTTP."""
