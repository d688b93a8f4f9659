"""The connection to PostgreSQL, and the migrations that bring it up to date."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session

CONNECT_SECONDS = 2


def connect(url: str) -> Engine:
    """Return an engine that notices a server that went away and came back."""
    arguments = {"connect_timeout": CONNECT_SECONDS, "options": "-c statement_timeout=10000"}
    return create_engine(url, pool_pre_ping=True, pool_size=5, max_overflow=5, pool_timeout=3, connect_args=arguments)


def migration_config() -> Config:
    """Return Alembic's configuration, without a file."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.set_main_option("path_separator", "os")
    return config


def migrate(engine: Engine) -> None:
    """Bring the database up to the newest tables."""
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
