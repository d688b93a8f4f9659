"""Tests of work over whole banks."""
