"""The commands, a module each; only these put the steps of a build together."""
