"""How a refusal is answered: what, where, what to do."""

from __future__ import annotations

from django.http import JsonResponse

from trasloco.errors import Refused

MOST_WHERE = 200


def told(refused: Refused) -> dict[str, str]:
    """A refusal in the shape of the API."""
    return {"what": refused.what, "where": refused.where, "remedy": refused.remedy}


def refusal(status: int, what: str, where: str, remedy: str) -> JsonResponse:
    """An answer that says no; ``where`` may be an address of any length."""
    return JsonResponse({"what": what, "where": where[:MOST_WHERE], "remedy": remedy}, status=status)
