"""The rules of the job: documents, sources, routes, the trace and the sound. No web, no store, no files."""
