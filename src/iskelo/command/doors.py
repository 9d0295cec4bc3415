"""Who may come into a PostgreSQL server of our own: two roles, each with a generated password, over loopback alone.

The *administrator* is PostgreSQL's own superuser; only the commands use it, to make databases. The *application* owns
its databases and may do nothing else. Both prove themselves by SCRAM-SHA-256 (RFC 7677); the passwords lie in files
that their owner alone can read.
"""

import os
import re
import secrets
from pathlib import Path

ADMINISTRATOR, APPLICATION = "postgres", "iskelo"
ROLES = (ADMINISTRATOR, APPLICATION)

RULES = f"""# Written by Iskelo at every start; what is changed here is written over.
# No other address, no socket, nobody without a password. The application has no business in the server's own databases.
host  postgres,template0,template1  {APPLICATION}  127.0.0.1/32  reject
host  all  {APPLICATION}    127.0.0.1/32  scram-sha-256
host  all  {ADMINISTRATOR}  127.0.0.1/32  scram-sha-256
"""
"""The server's ``pg_hba.conf``."""


class Passwords:
    """The passwords of both roles, kept in files of mode 0600 in one folder."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def of(self, role: str) -> str:
        """A role's password; empty if none was made yet."""
        try:
            said = (self._folder / f"{role}.password").read_text(errors="replace").strip()
        except FileNotFoundError:
            return ""
        # What is none of ours is made anew, as a lost one is.
        return said if re.fullmatch(r"[A-Za-z0-9_-]{20,80}", said) else ""

    def missing(self) -> bool:
        return not (self.of(ADMINISTRATOR) and self.of(APPLICATION))

    def make(self, role: str) -> str:
        """A new password for a role; it counts once ``keep`` was called."""
        password = secrets.token_urlsafe(24)
        path = self._folder / f"{role}.password.new"
        path.unlink(missing_ok=True)
        # O_EXCL: a file, or a link, that somebody else put there is never written to.
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
            file.write(password + "\n")
        return password

    def keep(self) -> None:
        """The passwords that were made are those that the server knows now."""
        for role in ROLES:
            path = self._folder / f"{role}.password"
            path.with_suffix(".password.new").rename(path)

    def forget(self) -> None:
        """Let go of passwords that the server does not know."""
        for role in ROLES:
            (self._folder / f"{role}.password").unlink(missing_ok=True)


def role_statements(role: str, password: str) -> list[str]:
    """SQL that makes a role if it is not there and gives it its password; a line each."""
    able = "SUPERUSER" if role == ADMINISTRATOR else "NOSUPERUSER NOCREATEDB NOCREATEROLE NOREPLICATION"
    return [
        "SET password_encryption = 'scram-sha-256';",
        f"DO $$BEGIN IF NOT EXISTS (SELECT 1 FROM pg_roles WHERE rolname = '{role}') THEN CREATE ROLE {role}; "
        "END IF; END$$;",
        f"ALTER ROLE {role} LOGIN {able} PASSWORD '{password}';",
    ]


OWN_EVERYTHING = f"""
DO $$
DECLARE each record;
BEGIN
  FOR each IN SELECT oid::regclass AS name, relkind FROM pg_class
    WHERE relnamespace = 'public'::regnamespace AND relkind IN ('r', 'v', 'p') LOOP
    EXECUTE format('ALTER TABLE %s OWNER TO %I', each.name, '{APPLICATION}');
  END LOOP;
  FOR each IN SELECT c.oid::regclass AS name FROM pg_class c
    WHERE relnamespace = 'public'::regnamespace AND relkind = 'S'
      AND NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.objid = c.oid AND d.deptype IN ('a', 'i')) LOOP
    EXECUTE format('ALTER SEQUENCE %s OWNER TO %I', each.name, '{APPLICATION}');
  END LOOP;
  FOR each IN SELECT oid::regprocedure AS name FROM pg_proc WHERE pronamespace = 'public'::regnamespace LOOP
    EXECUTE format('ALTER FUNCTION %s OWNER TO %I', each.name, '{APPLICATION}');
  END LOOP;
  FOR each IN SELECT t.oid::regtype AS name FROM pg_type t LEFT JOIN pg_class c ON c.oid = t.typrelid
    WHERE typnamespace = 'public'::regnamespace AND (typtype IN ('e', 'd') OR (typtype = 'c' AND c.relkind = 'c')) LOOP
    EXECUTE format('ALTER TYPE %s OWNER TO %I', each.name, '{APPLICATION}');
  END LOOP;
END $$
"""
"""SQL that gives the application what an older version of Iskelo made as the administrator."""
