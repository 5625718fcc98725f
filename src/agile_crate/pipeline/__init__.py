"""The steps of a build, a module each: gather, select and prepare (all three: load), arrange, describe, draw, write."""
