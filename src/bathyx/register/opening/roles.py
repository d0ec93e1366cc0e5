"""Roles on a PostgreSQL server: the owner makes and updates the register, a bench may add and read, never change."""

ROLES_SQL = """\
-- Run once by the owner of the database, after `bathyx verify` has made the register in it.
-- Benches connect as bathyx_bench (or a login that is a member of it): they add and read, and can change nothing.
CREATE ROLE bathyx_bench NOLOGIN;
GRANT USAGE ON SCHEMA public TO bathyx_bench;
GRANT SELECT, INSERT ON job, revision, mark, entry TO bathyx_bench;
GRANT SELECT ON alembic_version TO bathyx_bench;
REVOKE CREATE ON SCHEMA public FROM PUBLIC;
-- For each bench:  CREATE ROLE bench_1 LOGIN PASSWORD '...' IN ROLE bathyx_bench;
"""
