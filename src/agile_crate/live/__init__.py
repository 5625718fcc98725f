"""The page's server, for this machine alone: what is served, and news to whoever looks."""
