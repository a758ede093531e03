"""Recipes, and the copying of steps from one photo to others."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from uuid import UUID

from fastapi import APIRouter, HTTPException
from psycopg.types.json import Jsonb
from pydantic import BaseModel, Field

from fern_ticket.core.errors import FernError, LedgerError
from fern_ticket.core.ledger.steps import Step, read_steps, steps_json
from fern_ticket.core.operations import operation_of
from fern_ticket.core.recipes import laid, portable
from fern_ticket.core.render.plan import make_plan
from fern_ticket.store.records import Recipe
from fern_ticket.web.common.changing import InHand, PhotoInHand, head_of, photo_in_hand, photo_row
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.views import LedgerChange, ledger_change
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api")


class RecipeView(BaseModel):
    id: UUID
    name: str
    titles: list[str]


class KeepRecipe(BaseModel):
    name: str = Field(min_length=1, max_length=80, pattern=r"\S")
    photo: UUID
    steps: list[str] = Field(min_length=1, max_length=200, description="Ids of the photo's steps.")


class UseRecipe(BaseModel):
    expected: int


class CopySteps(BaseModel):
    steps: list[str] = Field(min_length=1, max_length=200, description="Ids of the photo's steps.")
    to: list[UUID] = Field(min_length=1, max_length=500, description="Photos of the same ticket.")


class Copied(BaseModel):
    copied: int
    refused: list[str] = Field(description="For each photo that was not changed: its title and why.")


@router.get("/recipes")
async def recipes(shared: SharedState, _: SignedIn) -> list[RecipeView]:
    return [_view(row) for row in await shared.database.rows(Recipe, "recipes")]


@router.post("/recipes", status_code=201)
async def keep(asked: KeepRecipe, shared: SharedState, user: SignedIn) -> RecipeView:
    """Keep steps of a photo under a name; a recipe of that name is replaced."""
    carried = [portable(step) for step in await _steps_of(shared, asked.photo, asked.steps)]
    steps = [step for step in carried if step is not None]
    if not steps:
        raise LedgerError("These steps belong to this photo alone.", "Choose steps that mean something elsewhere too.")
    made = await shared.database.value(
        "keep_recipe", name=asked.name.strip(), steps=Jsonb(steps_json(steps)), user=user.id
    )
    return _view(await _recipe(shared, made))


@router.delete("/recipes/{recipe}", status_code=204)
async def forget(recipe: UUID, shared: SharedState, _: SignedIn) -> None:
    if await shared.database.value("forget_recipe", recipe=recipe) is None:
        raise HTTPException(404, "There is no such recipe any more.")


@router.post("/photos/{photo}/recipes/{recipe}")
async def use(recipe: UUID, asked: UseRecipe, photo: InHand) -> LedgerChange:
    """Lay a recipe into the photo's ledger, as one revision."""
    row = await _recipe(photo.shared, recipe)
    return await _lay(photo, asked.expected, read_steps(row.steps), f"Recipe {row.name}")


@router.post("/photos/{photo}/copies")
async def copy(photo: UUID, asked: CopySteps, shared: SharedState, user: SignedIn) -> Copied:
    """Lay steps of this photo into the ledgers of others of its ticket, each as one revision."""
    own = await photo_row(shared, photo)
    steps = await _steps_of(shared, photo, asked.steps)
    refused = []
    for target in asked.to:
        row = await photo_row(shared, target)
        if row.ticket != own.ticket or target == photo:
            refused.append(f"{row.title}: it is not another photo of this ticket.")
            continue
        try:
            if row.state != "ready":
                raise LedgerError("It is not ready yet.", "Copy again in a moment.")
            other = await photo_in_hand(shared, target, user)
            await _lay(other, other.head.revision, steps, f"Copied from {own.title}")
        except FernError as error:
            refused.append(f"{row.title}: {error.sentence}")
    return Copied(copied=len(asked.to) - len(refused), refused=refused)


async def _lay(photo: PhotoInHand, expected: int, added: Sequence[Step], summary: str) -> LedgerChange:
    steps = laid(photo.head.steps, added)
    source = await asyncio.to_thread(lambda: photo.source)
    make_plan(steps, source.size)
    return ledger_change(photo.head, await photo.save(summary, steps, expected))


async def _steps_of(shared: Shared, photo: UUID, ids: list[str]) -> list[Step]:
    steps = [step for step in (await head_of(shared, photo)).steps if step.id in set(ids)]
    if len(steps) != len(set(ids)):
        raise LedgerError("One of these steps is not in the ledger any more.", "Reload the bench.")
    return steps


async def _recipe(shared: Shared, recipe: UUID) -> Recipe:
    row = await shared.database.row(Recipe, "recipe", recipe=recipe)
    if row is None:
        raise HTTPException(404, "There is no such recipe any more.")
    return row


def _view(row: Recipe) -> RecipeView:
    return RecipeView(id=row.id, name=row.name, titles=[operation_of(step).title for step in read_steps(row.steps)])
