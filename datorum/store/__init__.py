"""Records in PostgreSQL through SQLAlchemy: tables, queries, migrations, and a cluster of Datorum's own."""
