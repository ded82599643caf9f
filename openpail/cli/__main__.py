"""The commands by their names, and where each of them lies."""

from __future__ import annotations

from importlib import import_module

import click

_WHERE = {
    "demo": "demo:demo",
    "demo-data": "demo:demo_data",
    "serve": "serve:serve",
    "collect": "collect:collect",
    "db": "database:group",
    "everything": "everything:group",
    "people": "people:group",
    "read": "written:read",
    "test": "working:test",
    "bench": "working:bench",
    "shots": "working:shots",
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
    """Open Pail's own commands; ./pail sets up and is the way in."""


if __name__ == "__main__":
    main(prog_name="./pail")
