"""A device's card on paper, large enough to be read at arm's length in the sun."""

from html import escape
from importlib.metadata import version

from kardo.core.geodesy.units import length
from kardo.core.gnss.card import Box, Card
from kardo.core.gnss.heights import SetUpHeights, read_words
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import name_of
from kardo.formats.documents import page

BOXES = (
    "<style>.box td { border-bottom: 0.6pt solid #17242e; padding: 3mm 3mm 3mm 0; vertical-align: baseline }"
    ".typed { font: 600 23pt 'Kardo Figures', monospace; white-space: nowrap; text-align: right }"
    ".sum { font: 600 15pt 'Kardo Figures', monospace; text-align: right } .name { font-size: 13pt }</style>"
)


def card_html(plan: Plan, chain: SetUpHeights, card: Card) -> str:
    """One card as a page that stands alone: the boxes, the sum to read back, what the heights come from, what goes
    wrong."""
    unit = plan.brief.unit
    rows = "".join(_row(box) for box in card.boxes)
    notes = "".join(f"<li>{escape(note)}</li>" for note in card.notes)
    return page(
        f"{plan.brief.title}, {card.name}",
        f"{plan.brief.title} · {name_of(plan, 'setup', card.setup)} · plan {plan.revision[:12]} · Kardo"
        f" {version('kardo')}",
        f"{BOXES}<h1>{escape(card.name)}</h1>"
        f'<p class="lead">{escape(name_of(plan, "setup", card.setup))}: type the position of'
        f" <b>{escape(card.point)}</b></p>"
        f"<p>{escape(card.frame)}</p>"
        '<table class="box"><tr><th>box</th><th class="num">type</th><th></th><th class="num">sum of'
        f" figures</th></tr>{rows}"
        '<tr><td class="name">all boxes together</td><td></td><td></td><td'
        f' class="sum">{card.read_back}</td></tr></table>'
        f"<p>Read every box back from the device, figure by figure; then add its figures: 12.305 gives 1 + 2 + 3 + 0 +"
        f" 5 = 11. The sum "
        f"finds a wrong or missing figure, not two that changed places.</p><ul>{notes}</ul>"
        f"<h2>Where the height comes from</h2>"
        f"<p>{escape(chain.mark_name)} {length(chain.mark, unit, 4)} {escape(chain.system)}; N"
        f" {length(chain.separation, unit, 4)}; "
        f"antenna read {read_words(plan, chain)}, which is {length(chain.arp_above_mark, unit, 4)} vertical to the ARP;"
        " the APC lies "
        f"{length(chain.apc_above_arp, unit, 4)} above it. As planned: if the height measured at the mark is another,"
        " this card no longer holds.</p>"
        f'<p class="quiet">Kardo reminds; coordinates of marks are the licensed surveyor\'s to certify.</p>',
    )


def _row(box: Box) -> str:
    return (
        f'<tr><td class="name">{escape(box.name)}</td><td class="typed">{escape(box.shown)}</td>'
        f'<td class="name">{escape(box.unit)}</td><td class="sum">{box.figures}</td></tr>'
    )
