"""A patch compiled to a flat program, and the program run: the trace."""
