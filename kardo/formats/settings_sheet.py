"""A settings card on paper: what is typed where corrections are wanted."""

from html import escape
from importlib.metadata import version

from kardo.core.gnss.settings_card import SettingsCard
from kardo.core.plan.model import Plan
from kardo.formats.card_sheet import BOXES
from kardo.formats.documents import page

FREE = (  # an address may be long
    "<style>.free { font-size: 18pt; white-space: normal; overflow-wrap: anywhere }</style>"
)


def settings_html(plan: Plan, card: SettingsCard) -> str:
    """The card as a page that stands alone; what is not known yet is a line to write on."""
    rows = "".join(
        f'<tr><td class="name">{escape(box.name)}</td><td class="typed free">{escape(box.typed) or "…" * 8}</td></tr>'
        for box in card.boxes
    )
    notes = "".join(f"<li>{escape(note)}</li>" for note in card.notes)
    return page(
        f"{plan.brief.title}, corrections of {card.name}",
        f"{plan.brief.title} · corrections of {card.name} · plan {plan.revision[:12]} · Kardo {version('kardo')}",
        f'{BOXES}{FREE}<h1>Corrections of {escape(card.name)}</h1><p class="lead">They come {escape(card.carried)}.</p>'
        f'<table class="box"><tr><th>box</th><th class="num">type</th></tr>{rows}</table><ul>{notes}</ul>',
    )
