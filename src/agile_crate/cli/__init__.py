"""The command line and the terminal: the only place that prints and exits. One small module a command."""
