"""Crate files: text files with the inputs, outputs and settings of crates."""
