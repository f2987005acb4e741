"""Make what a new server needs: a workspace, its owner, a rig; print a sign-in link."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandParser
from django.db import transaction

from yardstick_server.accounts.models import Member, SignInLink, Workspace, digest
from yardstick_server.inventory.models import Rig


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--workspace", default="Workshop")
        parser.add_argument("--owner", default="owner")
        parser.add_argument("--rig", help="name of a rig to make or to give a new token")
        parser.add_argument("--rig-file", type=Path, help="the rig's JSON file, written for it")

    def handle(self, *args: Any, **options: Any) -> None:
        with transaction.atomic():
            user, _ = User.objects.get_or_create(username=options["owner"])
            User.objects.filter(pk=user.pk).update(is_active=True)
            member = Member.objects.filter(user=user).select_related("workspace").first()
            if member is None:
                workspace = Workspace.objects.create(name=options["workspace"])
                member = Member.objects.create(workspace=workspace, user=user, role="owner")
            if options["rig"]:
                self._rig(member.workspace, options["rig"], options["rig_file"])
            token = SignInLink.make(user)
        self.stdout.write(f"{settings.WEB_ORIGIN}/sign-in/{token}")

    def _rig(self, workspace: Workspace, name: str, file: Path) -> None:
        """Give the rig a token of its own, unless its file already holds a good one."""
        kept = json.loads(file.read_text()) if file.exists() else {}
        known = Rig.objects.filter(workspace=workspace, name=name).first()
        fits = known is not None and known.token_digest == digest(kept.get("token", ""))
        if not fits or known.revoked:
            token = Rig.new_token()
            Rig.objects.update_or_create(
                workspace=workspace, name=name,
                defaults={"token_digest": digest(token), "revoked": False},
            )  # fmt: skip
            kept["token"] = token
        kept["server"] = settings.WEB_ORIGIN
        file.touch(mode=0o600)
        file.write_text(json.dumps(kept, indent=2))
