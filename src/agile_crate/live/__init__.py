"""The page's server, for this machine alone: its files, and events for open pages."""
