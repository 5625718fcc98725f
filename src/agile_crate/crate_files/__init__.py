"""Crate files: text files that say what is packed, where to, and how."""
