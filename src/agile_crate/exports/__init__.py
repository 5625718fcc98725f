"""Writing: images and metadata. Text is made apart from files, and only `output` puts files in place."""
