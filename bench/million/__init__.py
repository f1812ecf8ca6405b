"""A million rows: from the file to chunks, profile, landed values and findings, beside a script of Polars alone."""
