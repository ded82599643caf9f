"""The cave: pieces and their next care."""

from __future__ import annotations

import uuid

from flask import Blueprint, redirect, render_template, url_for

from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Care, Piece
from openpail.web.edge import Page, dairy, db, needs, now, today

blueprint = Blueprint("cave", __name__, template_folder="templates")


@blueprint.get("/cave")
@needs("dairy.read")
def page() -> Page:
    """Shelves by place, the piece to touch next first."""
    cares = pieces.next_cares(db(), dairy())
    shelves: dict[str, list[tuple[Piece, Care | None]]] = {}
    for piece in pieces.resting(db(), dairy()):
        care = cares.get(piece.id)
        shelves.setdefault(care.place if care else "ready", []).append((piece, care))
    for rows in shelves.values():
        rows.sort(key=lambda row: (row[1].due if row[1] else today(), row[0].label))
    return render_template("cave/page.html", shelves=sorted(shelves.items()), today=today())


@blueprint.get("/cave/<uuid:piece_id>")
@needs("dairy.read")
def piece(piece_id: uuid.UUID) -> Page:
    """One piece: its path from the press to the table."""
    found = pieces.piece(db(), dairy(), piece_id)
    return render_template(
        "cave/piece.html", piece=found, cares=pieces.cares_of(db(), found), today=today()
    )


@blueprint.post("/cave/<uuid:piece_id>/ended")
@needs("care.write")
def ended(piece_id: uuid.UUID) -> Page:
    """A piece is eaten, sold or thrown away."""
    pieces.end(db(), pieces.piece(db(), dairy(), piece_id), now())
    return redirect(url_for("cave.page"))
