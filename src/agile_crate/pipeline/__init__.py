"""The steps of a build, one module each: gather, select and prepare (all three: load), arrange, describe, draw,
write."""
