"""Boxes on sheets: grid, rows, tight, and which frames share a box."""
