"""The vocabulary: geometry, pictures, and the crate as the metadata describes it."""
