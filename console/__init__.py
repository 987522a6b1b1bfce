"""The one command line: the core's verbs, and what a server's keeper needs."""
