"""The sources of frames. No other package opens input files."""
