"""Forms: the models of requests and answers."""
