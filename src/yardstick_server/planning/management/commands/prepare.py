"""All that is done before a server starts, in one process: tables, owner and rig, readings that an
older core derived, the demonstration. The last line is a link that signs the owner in.
"""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: list[str] = []

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--rig", required=True, help="name of the rig on this machine")
        parser.add_argument("--rig-file", type=Path, required=True, help="written for it")
        parser.add_argument("--demo", type=Path, help="the demonstration's folder; none without it")
        parser.add_argument("--fixtures", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        call_command("migrate", verbosity=0)
        link = io.StringIO()
        call_command("set_up", rig=options["rig"], rig_file=options["rig_file"], stdout=link)
        call_command("read_again", stdout=self.stdout)
        if options["demo"]:
            fixtures = options["fixtures"]
            call_command("load_demo", options["demo"], fixtures=fixtures, stdout=self.stdout)
        self.stdout.write(link.getvalue().strip())
