"""Who may do what in a team's database: three roles, as statements that its owner runs."""

from sqlalchemy import Table

from unvek.core.logbook import tables

READER, JUDGE, WRITER = "unvek_reader", "unvek_judge", "unvek_writer"
JUDGED = (tables.ballots, tables.judges, tables.verdicts, tables.verdict_notes)  # which a judge adds to


def rights_script() -> str:
    """Return the SQL that makes the roles, or makes them again: it may be run as often as one likes."""
    every = [*tables.metadata.sorted_tables, *tables.of_teams.sorted_tables]
    return "\n".join([
        "-- The rights of a team's logbook: run it once as the owner of the database, who may make roles, and again",
        "-- after an upgrade. All of it is done, or nothing.",
        "--   unvek team --roles | psql 'postgresql://server/nursery'",
        f"-- Then give each person or machine one of the roles:  GRANT {WRITER} TO \"bench-1\";",
        f"-- {READER}: sees everything, changes nothing.  {JUDGE}: also judges.  {WRITER}: machines that make runs.",
        "-- Nobody may delete anything.",
        "",
        "BEGIN;",
        *(_role(role) for role in (READER, JUDGE, WRITER)),
        "REVOKE CREATE ON SCHEMA public FROM PUBLIC;",
        f"GRANT USAGE ON SCHEMA public TO {READER}, {JUDGE}, {WRITER};",
        f"GRANT SELECT ON {_named(every)} TO {READER}, {JUDGE}, {WRITER};",
        "",
        f"GRANT INSERT ON {_named(JUDGED)} TO {JUDGE};",
        f"GRANT UPDATE (voided) ON {tables.verdicts.name} TO {JUDGE};",
        f"GRANT USAGE ON SEQUENCE {_sequence(tables.verdict_notes)} TO {JUDGE};",
        "",
        f"GRANT INSERT, UPDATE ON {_named(every)} TO {WRITER};",
        f"GRANT USAGE ON SEQUENCE {_sequence(tables.verdict_notes)}, {_sequence(tables.notes)} TO {WRITER};",
        "COMMIT;",
    ])  # fmt: skip


def _role(name: str) -> str:
    return (f"DO $$ BEGIN CREATE ROLE {name} NOLOGIN; EXCEPTION WHEN duplicate_object THEN NULL; END $$;")  # fmt: skip


def _named(of: "list[Table] | tuple[Table, ...]") -> str:
    return ", ".join(table.name for table in of)


def _sequence(table: Table) -> str:
    return f"{table.name}_number_seq"
