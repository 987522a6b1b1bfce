"""The admin page: people with Django's own pages, moves by whom they belong to."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.contrib import admin

from server.moves.models import Move, Share

if TYPE_CHECKING:

    class Inline(admin.TabularInline[Share, Move]): ...

    class Admin(admin.ModelAdmin[Move]): ...

else:
    Inline, Admin = admin.TabularInline, admin.ModelAdmin


admin.site.site_header = admin.site.site_title = "Trasloco"
admin.site.index_title = "People, and whose the moves are"


class Shares(Inline):
    model = Share
    extra = 0


@admin.register(Move)
class Moves(Admin):
    """Whose a move is and with whom it is shared; what is in it is changed on its own pages."""

    list_display = ("name", "owner", "created", "deleted")
    list_filter = ("owner",)
    search_fields = ("name",)
    fields = ("name", "owner")
    inlines = (Shares,)

    def has_add_permission(self, request: object) -> bool:
        return False
