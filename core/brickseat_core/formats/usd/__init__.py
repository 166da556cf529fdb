"""USD read and written, by way of glTF documents."""
