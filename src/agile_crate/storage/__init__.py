"""Data kept between builds on this machine. A build is the same if this data is lost or wrong."""
