"""The store: props with their true measures, their files on disk, and their meshes in memory."""
