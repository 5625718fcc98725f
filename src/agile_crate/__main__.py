"""``python -m agile_crate``."""

from .cli.start import run

if __name__ == "__main__":
    run()
