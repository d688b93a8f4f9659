"""Kinds of task: a file each, found by its name. Each makes a task of a level from a random generator."""
