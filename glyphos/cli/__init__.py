"""The same work from a shell, a module a command."""
