"""The log as an SQLite database, written so that what was confirmed is never lost.

Each change is one transaction that is on the disk before it is confirmed (write-ahead log, ``synchronous=FULL``); several windows may write, one
after the other. The schema has a version; an older one is brought up to date in one transaction, a newer one is refused. Source: SQLite's own
documentation on atomic commit and WAL mode.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import msgspec
import platformdirs

from lexipod.errors import LexipodError
from lexipod.records.makes import PLAIN, Event, Make, Measure, Photograph, Prediction

VERSION = 2
WAIT_S = 5.0
NAME = "log.sqlite"
PHOTOGRAPHS = "photographs"
MIGRATIONS: dict[int, str] = {
    1: """
CREATE TABLE makes (id TEXT PRIMARY KEY, title TEXT NOT NULL, began TEXT NOT NULL, ended TEXT NOT NULL DEFAULT '', design TEXT NOT NULL DEFAULT '',
  copies INTEGER NOT NULL DEFAULT 1, stock TEXT NOT NULL DEFAULT '', calipers TEXT NOT NULL DEFAULT '', foam TEXT NOT NULL DEFAULT '',
  fasteners TEXT NOT NULL DEFAULT '', glue TEXT NOT NULL DEFAULT '', cutting TEXT NOT NULL DEFAULT '', ran TEXT NOT NULL DEFAULT '',
  place TEXT NOT NULL DEFAULT '', note TEXT NOT NULL DEFAULT '', changed TEXT NOT NULL DEFAULT '', next_time TEXT NOT NULL DEFAULT '',
  minutes REAL NOT NULL DEFAULT 0, waits REAL NOT NULL DEFAULT 0, whom TEXT NOT NULL DEFAULT '', prediction TEXT NOT NULL DEFAULT '{}');
CREATE TABLE measures (make TEXT NOT NULL REFERENCES makes(id) ON DELETE CASCADE, name TEXT NOT NULL, kind TEXT NOT NULL, way TEXT NOT NULL,
  designed REAL NOT NULL, measured REAL NOT NULL, part TEXT NOT NULL DEFAULT '', at TEXT NOT NULL DEFAULT '');
CREATE TABLE events (make TEXT NOT NULL REFERENCES makes(id) ON DELETE CASCADE, kind TEXT NOT NULL, text TEXT NOT NULL, at TEXT NOT NULL DEFAULT '',
  step TEXT NOT NULL DEFAULT '');
CREATE TABLE photographs (make TEXT NOT NULL REFERENCES makes(id) ON DELETE CASCADE, name TEXT NOT NULL, caption TEXT NOT NULL DEFAULT '',
  width INTEGER NOT NULL DEFAULT 0, height INTEGER NOT NULL DEFAULT 0);
CREATE INDEX measures_of ON measures(make);
CREATE INDEX events_of ON events(make);
CREATE INDEX photographs_of ON photographs(make);
""",
    2: """
CREATE TABLE shelf (id TEXT PRIMARY KEY, item TEXT NOT NULL, name TEXT NOT NULL, kind TEXT NOT NULL, unit TEXT NOT NULL, count REAL NOT NULL,
  low REAL NOT NULL DEFAULT 0, place TEXT NOT NULL DEFAULT '', price REAL, outline TEXT NOT NULL DEFAULT '');
CREATE TABLE takings (make TEXT NOT NULL, item TEXT NOT NULL, count REAL NOT NULL, at TEXT NOT NULL DEFAULT '');
CREATE TABLE tables (make TEXT PRIMARY KEY REFERENCES makes(id) ON DELETE CASCADE, state TEXT NOT NULL);
""",
}


class LogError(LexipodError):
    """The log cannot be read or written; the text says why, and what to do."""


def log_folder() -> Path:
    """Where the log lies: the user's data folder."""
    return Path(platformdirs.user_data_dir("lexipod", appauthor=False))


class Store:
    """An open log. Use it as a context, or ``close`` it. Every method that changes something has it on the disk when it comes back."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or log_folder()
        self.path = self.folder / NAME
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            self._db = sqlite3.connect(self.path, timeout=WAIT_S, isolation_level=None)
        except (OSError, sqlite3.Error) as error:
            raise LogError(f"{self.path}: the log cannot be opened ({error}); check the folder and its permissions") from error
        try:
            self._prepare()
        except BaseException:
            self._db.close()
            raise

    def _prepare(self) -> None:
        with self._told():
            self._db.execute("PRAGMA journal_mode=WAL")
            self._db.execute("PRAGMA synchronous=FULL")
            self._db.execute("PRAGMA foreign_keys=ON")
            version = int(self._db.execute("PRAGMA user_version").fetchone()[0])
            if version > VERSION:
                raise LogError(f"{self.path}: was written by a newer Lexipod (log {version}; this one knows {VERSION}); update to open it")
            known = {row[0] for row in self._db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            if version == 0 and known:
                raise LogError(f"{self.path}: is a database of something else; move it away, or name another folder")
        if version < VERSION:
            with self.changing():
                version = int(self._db.execute("PRAGMA user_version").fetchone()[0])
                for step in range(version + 1, VERSION + 1):
                    for statement in MIGRATIONS[step].split(";"):
                        if statement.strip():
                            self._db.execute(statement)
                self._db.execute(f"PRAGMA user_version={VERSION}")

    def __enter__(self) -> Store:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Lets the database go."""
        self._db.close()

    @property
    def photographs(self) -> Path:
        """Where the scaled copies lie."""
        return self.folder / PHOTOGRAPHS

    @contextmanager
    def _told(self) -> Iterator[None]:
        """What SQLite complains about, in one sentence that says what to do."""
        try:
            yield
        except sqlite3.Error as error:
            text = str(error).lower()
            if "locked" in text or "busy" in text:
                raise LogError(f"{self.path}: another program is writing to the log; try again when it is done, nothing was changed") from error
            if "full" in text:
                raise LogError(f"{self.path}: the disk is full; make room and try again, what was there is kept") from error
            if "malformed" in text or "not a database" in text or "disk image" in text:
                raise LogError(f"{self.path}: the log is damaged; move it away and import your last backup, it was left as it is") from error
            if "readonly" in text or "read-only" in text:
                raise LogError(f"{self.path}: the log may not be written here; check its permissions") from error
            raise LogError(f"{self.path}: the log cannot be used ({error})") from error

    @contextmanager
    def changing(self) -> Iterator[None]:
        """One transaction: all of it is on the disk afterwards, or nothing; what changes inside of it belongs to it."""
        if self._db.in_transaction:
            yield
            return
        with self._told():
            self._db.execute("BEGIN IMMEDIATE")
            try:
                yield
                self._db.execute("COMMIT")
            except BaseException:
                if self._db.in_transaction:
                    self._db.execute("ROLLBACK")
                raise

    def rows(self, query: str, values: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
        """The rows of a query."""
        with self._told():
            return list(self._db.execute(query, values))

    def run(self, query: str, values: tuple[Any, ...] = ()) -> int:
        """One statement; how many rows it changed."""
        with self._told():
            return self._db.execute(query, values).rowcount

    # ---- makes

    def add(self, make: Make) -> None:
        """A new make with all that belongs to it; ``LogError`` where one has its id."""
        with self.changing():
            if self.rows("SELECT 1 FROM makes WHERE id = ?", (make.id,)):
                raise LogError(f"there is a make {make.id} already")
            self._write(make)

    def add_all(self, makes: Iterable[Make]) -> None:
        """Several new makes, all of them or none."""
        with self.changing():
            for make in makes:
                self._write(make)

    def _write(self, make: Make) -> None:
        values = [getattr(make, name) for name in PLAIN]
        marks = ", ".join("?" * (len(PLAIN) + 2))
        prediction = msgspec.json.encode(make.prediction).decode()
        self.run(f"INSERT INTO makes ({', '.join(PLAIN)}, place, prediction) VALUES ({marks})", (*values, make.where, prediction))
        for m in make.measures:
            self.run("INSERT INTO measures VALUES (?, ?, ?, ?, ?, ?, ?, ?)", (make.id, m.name, m.kind, m.way, m.designed, m.measured, m.part, m.at))
        for e in make.events:
            self.run("INSERT INTO events VALUES (?, ?, ?, ?, ?)", (make.id, e.kind, e.text, e.at, e.step))
        for p in make.photographs:
            self.run("INSERT INTO photographs VALUES (?, ?, ?, ?, ?)", (make.id, p.name, p.caption, p.width, p.height))

    def remove(self, make_id: str) -> None:
        """Takes a make out of the log, with photographs that no other one has."""
        with self.changing():
            names = {row[0] for row in self.rows("SELECT name FROM photographs WHERE make = ?", (make_id,))}
            self.run("DELETE FROM makes WHERE id = ?", (make_id,))
            names -= {row[0] for row in self.rows("SELECT name FROM photographs")}
        for name in names:
            (self.photographs / name).unlink(missing_ok=True)

    def get(self, make_id: str) -> Make:
        """The make of an id, or of the only one whose id begins so; ``LogError`` where there is none or are several."""
        begins = "SELECT id FROM makes WHERE substr(id, 1, ?) = ?"
        found = [str(row[0]) for row in self.rows(begins, (len(make_id), make_id))] if make_id else []
        found = [i for i in found if i == make_id] or found
        if len(found) != 1:
            raise LogError(f"there is no make {make_id}" if not found else f"{make_id} may mean {len(found)} makes; write more of its id")
        return self.makes(found[0])[0]

    def makes(self, only: str = "") -> list[Make]:
        """All makes, the latest first; or the one of an id."""
        own = " WHERE make = ?" if only else ""
        values = (only,) if only else ()
        measures = self._grouped(f"SELECT make, name, kind, way, designed, measured, part, at FROM measures{own} ORDER BY rowid", values)
        events = self._grouped(f"SELECT make, kind, text, at, step FROM events{own} ORDER BY rowid", values)
        photographs = self._grouped(f"SELECT make, name, caption, width, height FROM photographs{own} ORDER BY rowid", values)
        out = []
        one = " WHERE id = ?" if only else ""
        for row in self.rows(f"SELECT {', '.join(PLAIN)}, place, prediction FROM makes{one} ORDER BY began DESC, rowid DESC", values):
            plain = dict(zip(PLAIN, row, strict=False))
            name = plain["id"]
            try:
                made = Make(
                    **plain,
                    where=row[-2],
                    prediction=msgspec.json.decode(row[-1], type=Prediction),
                    measures=tuple(Measure(*m) for m in measures.get(name, ())),
                    events=tuple(Event(*e) for e in events.get(name, ())),
                    photographs=tuple(Photograph(*p) for p in photographs.get(name, ())),
                )
            except (TypeError, ValueError, msgspec.MsgspecError) as error:
                raise LogError(f"{self.path}: the make {name} is damaged ({error}); import your last backup") from error
            out.append(made)
        return out

    def _grouped(self, query: str, values: tuple[Any, ...]) -> dict[str, list[tuple[Any, ...]]]:
        out: dict[str, list[tuple[Any, ...]]] = {}
        for row in self.rows(query, values):
            out.setdefault(row[0], []).append(row[1:])
        return out

    # ---- what belongs to a make, one at a time

    def add_event(self, make_id: str, event: Event) -> None:
        """Something said or done, at once on the disk."""
        with self.changing():
            self._must_be(make_id)
            self.run("INSERT INTO events VALUES (?, ?, ?, ?, ?)", (make_id, event.kind, event.text, event.at, event.step))

    def add_measure(self, make_id: str, measure: Measure) -> None:
        """A measure; one of the same name is replaced."""
        with self.changing():
            self._must_be(make_id)
            self.run("DELETE FROM measures WHERE make = ? AND name = ? AND part = ?", (make_id, measure.name, measure.part))
            m = measure
            self.run("INSERT INTO measures VALUES (?, ?, ?, ?, ?, ?, ?, ?)", (make_id, m.name, m.kind, m.way, m.designed, m.measured, m.part, m.at))

    def add_photograph(self, make_id: str, photograph: Photograph) -> None:
        """A photograph that lies beside the database already."""
        with self.changing():
            self._must_be(make_id)
            p = photograph
            self.run("INSERT INTO photographs VALUES (?, ?, ?, ?, ?)", (make_id, p.name, p.caption, p.width, p.height))

    def tell(self, make_id: str, **changes: Any) -> None:
        """Fields of a make set anew, such as ``ran="tight"``."""
        make = msgspec.structs.replace(self.get(make_id), **changes)
        names = [n for n in changes if n in PLAIN]
        with self.changing():
            self._must_be(make_id)
            for name in names:
                self.run(f"UPDATE makes SET {name} = ? WHERE id = ?", (getattr(make, name), make.id))
            if "where" in changes:
                self.run("UPDATE makes SET place = ? WHERE id = ?", (make.where, make.id))
            if "prediction" in changes:
                self.run("UPDATE makes SET prediction = ? WHERE id = ?", (msgspec.json.encode(make.prediction).decode(), make.id))

    def _must_be(self, make_id: str) -> None:
        if not self.rows("SELECT 1 FROM makes WHERE id = ?", (make_id,)):
            raise LogError(f"there is no make {make_id}; it may have been removed in another window")

    # ---- where one stopped

    def table_state(self, make_id: str) -> str:
        """Where one stopped at the table; empty for not begun."""
        found = self.rows("SELECT state FROM tables WHERE make = ?", (make_id,))
        return str(found[0][0]) if found else ""

    def keep_table_state(self, make_id: str, state: str) -> None:
        """Where one is at the table now."""
        with self.changing():
            self._must_be(make_id)
            self.run("INSERT INTO tables VALUES (?, ?) ON CONFLICT(make) DO UPDATE SET state = excluded.state", (make_id, state))
