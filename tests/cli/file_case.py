"""A demo card in a file, with settings and data folders of its own."""

import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from lexipod.demo import load_demo
from lexipod.design import write_design
from tests.cli.test_commands import call


class FileCase(unittest.TestCase):
    """``file`` is the demo card of the name ``card``, in ``folder``."""

    card = "fog-lifts"

    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.file = self.folder / "fog.lexipod"
        write_design(load_demo(self.card), self.file)
        folders = {"XDG_CONFIG_HOME": str(self.folder / "settings"), "XDG_DATA_HOME": str(self.folder / "data")}
        patch = mock.patch.dict(os.environ, folders)
        patch.start()
        self.addCleanup(patch.stop)

    def refused(self, *arguments):
        """What a call says that is refused in one line."""
        status, out, err = call(*arguments)
        self.assertEqual((status, out, err.count("\n")), (2, "", 1), err)
        return err
