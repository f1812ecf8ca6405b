"""A labelled benchmark of suggestions: header sets of all seven kinds of record, in several languages and styles."""
