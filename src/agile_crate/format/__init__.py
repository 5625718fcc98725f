"""The metadata format: a crate as a document, its JSON and XML forms, read and written, and the schemas."""
