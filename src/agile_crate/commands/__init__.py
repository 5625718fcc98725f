"""The commands, one module each; only they combine the steps of a build."""
