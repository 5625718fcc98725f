"""The vocabulary: geometry, pictures on their way, and the crate as the metadata describes it."""
