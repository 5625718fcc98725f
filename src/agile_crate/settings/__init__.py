"""Settings: declared in `table`, parsed by `readers`, collected by `given`, checked by `rules`, scaled for other sizes
by `portions`."""
