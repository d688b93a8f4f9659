"""Services: processes, jobs and caches that live as long as the application."""
