"""The new Quillmoss site: a stand-in with a process and a database of its own, described by its OpenAPI document."""
