"""Data kept between builds on this machine. All of it may be lost, or wrong, at any time: a build is the same."""
