"""The HTTP interface: thin, typed, no rule of the job."""
