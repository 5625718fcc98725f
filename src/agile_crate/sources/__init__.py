"""ReadOptions: where frames come from. The only place that opens input files."""
