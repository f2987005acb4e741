"""Write the bundle of a study (`export N FILE`), or make a study of one (`import FILE`)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from yardstick_core.formats.bundle import Bundle, BundleError
from yardstick_server.accounts.models import Workspace
from yardstick_server.bundles.exporting import export
from yardstick_server.bundles.importing import bring_in
from yardstick_server.studies.models import Study


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        ways = parser.add_subparsers(dest="way", required=True)
        out = ways.add_parser("export", help="write the bundle of a study to a file")
        out.add_argument("study", type=int)
        out.add_argument("file", type=Path)
        into = ways.add_parser("import", help="make a study of a bundle")
        into.add_argument("file", type=Path)
        into.add_argument("--workspace", default="", help="its name; else the first there is")
        into.add_argument("--by", default="the terminal", help="who brings it")

    def handle(self, *args: Any, **options: Any) -> None:
        if options["way"] == "export":
            self._export(options["study"], options["file"])
        else:
            self._import(options)

    def _export(self, number: int, file: Path) -> None:
        study = Study.objects.filter(pk=number).first()
        if study is None:
            raise CommandError(f"there is no study {number}")
        export(study, file, lambda done, total: self.stdout.write(f"{done} of {total} runs"))
        self.stdout.write(f"{file}: {file.stat().st_size / 2**20:.1f} MiB")

    def _import(self, options: dict[str, Any]) -> None:
        named = {"name": options["workspace"]} if options["workspace"] else {}
        workspace = Workspace.objects.filter(**named).order_by("id").first()
        if workspace is None:
            raise CommandError("there is no such workspace")
        try:
            with Bundle(options["file"]) as opened:
                opened.check()
                study, differs = bring_in(opened, workspace, options["by"])
        except BundleError as error:
            raise CommandError(f"nothing was kept: {error}") from error
        runs = study.runs.count()
        self.stdout.write(f"study {study.pk}: {study.question} ({runs} runs)")
        for text in differs:
            self.stdout.write(f"  differs: {text}")
        if not differs:
            self.stdout.write("  it says here what it says where it was made")
