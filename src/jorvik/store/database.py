"""The connection to PostgreSQL, and the migrations that bring it up to date."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Final

from sqlalchemy import Engine, create_engine, text
from sqlalchemy.orm import Session

if TYPE_CHECKING:
    from alembic.config import Config

CONNECT_SECONDS = 2


def connect(url: str) -> Engine:
    """Return an engine that notices a server that went away and came back."""
    arguments = {"connect_timeout": CONNECT_SECONDS, "options": "-c statement_timeout=10000"}
    return create_engine(url, pool_pre_ping=True, pool_size=5, max_overflow=5, pool_timeout=3, connect_args=arguments)


_MIGRATIONS: Final = Path(__file__).parent / "migrations"


def newest_revision() -> str:
    """Return the revision of the newest tables.

    The name of each migration's file begins with its revision, and they are numbered in order.
    """
    return max(path.name.partition("_")[0] for path in (_MIGRATIONS / "versions").glob("[0-9]*.py"))


def _revision(engine: Engine) -> str | None:
    """Return the revision of a database's tables, or None where it has none."""
    with engine.connect() as connection:
        if connection.scalar(text("SELECT to_regclass('alembic_version')")) is None:
            return None
        found: str | None = connection.scalar(text("SELECT version_num FROM alembic_version"))
        return found


def migration_config() -> "Config":
    """Return Alembic's configuration, without a file."""
    # Imported where it is needed: a start with nothing to migrate does without it.
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    config.set_main_option("path_separator", "os")
    return config


def migrate(engine: Engine) -> None:
    """Bring the database up to the newest tables."""
    if _revision(engine) == newest_revision():
        return
    from alembic import command

    config = migration_config()
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


class Store:
    """What reads and writes in the database: each call is one transaction."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    @contextmanager
    def _session(self) -> Iterator[Session]:
        with Session(self._engine, expire_on_commit=False) as session, session.begin():
            yield session
