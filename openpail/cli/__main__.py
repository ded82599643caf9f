"""The commands by their names, and where each of them lies."""

from __future__ import annotations

from importlib import import_module

import click

_WHERE = {
    "migrate": "database:migrate",
    "backup": "database:backup",
    "restore": "database:restore",
    "kept": "database:kept",
    "bring-back": "database:bring_back",
    "everything": "everything:group",
    "setup-token": "people:setup_token",
    "people": "people:group",
    "collect": "collect:collect",
    "papers": "papers:papers",
    "read": "written:read",
    "demo": "demo:demo",
}


class _ReadWhenCalled(click.Group):
    """A group whose commands are looked for when somebody calls them."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted(_WHERE)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        module, _, name = _WHERE.get(cmd_name, "").partition(":")
        if not module:
            return None
        found: click.Command = getattr(import_module(f"openpail.cli.{module}"), name)
        return found


@click.group(cls=_ReadWhenCalled)
def main() -> None:
    """Open Pail's own commands; ./pail is the way in."""


if __name__ == "__main__":
    main()
