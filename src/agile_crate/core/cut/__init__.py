"""Cutting a bare sheet into frames: by cells, by islands, by boxes of a table."""
