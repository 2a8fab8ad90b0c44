"""PostgreSQL through plain SQL: a module per aggregate, and one place for changes by people."""
