"""The made-up Quillmoss co-operative: its data, its new site and its mail, all on loopback."""
