"""Workers: threads, processes, a cluster."""
