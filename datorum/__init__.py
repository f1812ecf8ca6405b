"""Datorum: maps the columns of spreadsheets onto a site's record fields and imports them, rehearsed and proven."""
