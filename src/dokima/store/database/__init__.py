"""Orders in an SQLite file or on a PostgreSQL server, through SQLAlchemy."""
