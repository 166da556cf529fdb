"""glTF 2.0 read and written: documents, sets, props, and what they draw."""
