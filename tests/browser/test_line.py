"""Every view of all nine stations, at six widths, in three appearances, in metres and in feet: no barrier, nothing cut
off, covered or to be scrolled sideways for, no figure without its unit, none that opens scrolled."""

import re

import pytest
from playwright.sync_api import expect

from kardo.core.close.closing import Closing
from kardo.core.parts import to_json
from kardo.demo import demo_plan
from tests.browser.conftest import ROOT
from tests.browser.test_screens import EVERY, OF_COLOURS, barriers
from tests.browser.test_verdict import add_job
from tests.core.test_close import outcomes

STATIONS = ("brief", "site", "flight", "base", "control", "verdict", "day", "book", "close")
ON_A_PHONE = {"day", "book", "close"}
PHONE = 600  # below this width, pixels, there are these three alone
SIZES = ((390, 844), (600, 900), (820, 1180), (1024, 768), (1280, 800), (1920, 1080))
THEMES = ("dark", "field", "light")
TITLE = "The line, walked"

VISIBLE = """
const box = (el) => {
  if (!el.checkVisibility()) return null;
  let r = el.getBoundingClientRect();
  let [left, top, right, bottom] = [r.left, r.top, r.right, r.bottom];
  for (let p = el.parentElement; p; p = p.parentElement) {
    if (getComputedStyle(p).overflow === 'visible') continue;
    r = p.getBoundingClientRect();
    [left, top, right, bottom] = [Math.max(left, r.left), Math.max(top, r.top), Math.min(right, r.right), Math.min(bottom, r.bottom)];
  }
  [right, bottom] = [Math.min(right, innerWidth), Math.min(bottom, innerHeight)];
  return right - left > 3 && bottom - top > 3 && left >= -1 && top >= -1 ? { left, top, right, bottom } : null;
};
const words = (el) => (el.getAttribute('aria-label') || el.innerText || el.value || el.id || el.outerHTML).slice(0, 60);
"""
COVERED = (
    "() => {"
    + VISIBLE
    + """
  return [...document.querySelectorAll('button, a, input, select, textarea, summary')].flatMap((el) => {
    const at = box(el);
    if (!at || el.classList.contains('sr-only') || el.closest('.pointer-events-none')) return [];
    const top = document.elementFromPoint((at.left + at.right) / 2, (at.top + at.bottom) / 2);
    const fine = !top || el.contains(top) || top.contains(el) || top.closest('label')?.contains(el) || top.closest('th');
    return fine ? [] : [words(el) + ' under ' + words(top)];
  });
}"""
)
CUT = (
    "() => {"
    + VISIBLE
    + """
  const cut = [...document.querySelectorAll('body *')].flatMap((el) => {
    const own = [...el.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim());
    const field = el.matches('input:not([type=file]):not([type=checkbox]):not([type=date]), select');
    if ((!own && !field) || !box(el) || el.closest('.sr-only, svg, [title]') || el.tagName === 'TEXTAREA') return [];
    const hides = getComputedStyle(el).overflowX !== 'visible' || field;
    const wide = el.tagName === 'SELECT' ? 0 : el.scrollWidth - el.clientWidth;
    return hides && wide > 1 ? [words(el) + ' by ' + wide] : [];
  });
  const drawn = [...document.querySelectorAll('svg text')].flatMap((el) => {
    const svg = el.ownerSVGElement.getBoundingClientRect(), r = el.getBoundingClientRect();
    if (!r.width || getComputedStyle(el.ownerSVGElement).overflow === 'visible' || el.closest('[data-testid=sheet]')) return [];
    return r.left < svg.left - 1.5 || r.right > svg.right + 1.5 ? ['drawn ' + el.textContent] : [];
  });
  return [...cut, ...drawn];
}"""
)
BARE = (
    "() => {"
    + VISIBLE
    + """
  const unit = /(^|[^a-z])(mm|m|km|ft|ftUS|ha|acres|m²|m³|%|°|ppm|px|s|min|h|images|flight lines|n|no\\.|MB|m\\/s|ft\\/s|to pass|by chance|checks|exposures|pixels|clock|person)([^a-z]|$)/i;
  return [...document.querySelectorAll('table')].flatMap((table) => {
    const heads = [...table.querySelectorAll('thead tr:last-child th')].map((th) => th.innerText);
    return [...table.querySelectorAll('tbody tr')].flatMap((row) => [...row.children].flatMap((cell, k) => {
      const text = (cell.innerText || cell.querySelector('input')?.value || '').trim();
      if (!/^[-+−]?\\d/.test(text) || !cell.classList.contains('num') || !box(cell)) return [];
      const told = unit.test(heads[k] ?? '') || unit.test(heads[0] ?? '') || unit.test(text) || unit.test(row.children[0].innerText)
        || heads.slice(0, k).some((head) => unit.test(head) && /[,]|mm|ft/.test(head));
      return told ? [] : [`${text} under ${heads[k]}`];
    }));
  });
}"""
)
SIDEWAYS = """() => [document.documentElement, ...document.querySelectorAll('body *')].flatMap((el) => {
  const scrolls = el === document.documentElement || /auto|scroll/.test(getComputedStyle(el).overflowX);
  return scrolls && el.checkVisibility() && el.scrollWidth - el.clientWidth > 1
    ? [`${el.dataset.testid || el.className || el.tagName} by ${el.scrollWidth - el.clientWidth}`] : [];
})"""
OVER_THE_SHEET = """() => {
  const parts = [...document.querySelectorAll('.over-sheet > *, .over-sheet > .flex > *')].filter((el) => !el.classList.contains('flex-col')).map((el) => [el, el.getBoundingClientRect()]).filter(([, r]) => r.width);
  const apart = (a, b) => a.right <= b.left || b.right <= a.left || a.bottom <= b.top || b.bottom <= a.top;
  const over = (a, k) => parts.slice(k + 1).filter(([, b]) => !apart(a, b)).map(([other]) => other.innerText);
  return parts.flatMap(([el, a], k) => over(a, k).map((other) => `${el.innerText} over ${other}`.replace(/\\n/g, ' ')));
}"""
GO = (  # as a link does, without loading all anew
    "path => { history.pushState(null, '', path); dispatchEvent(new PopStateEvent('popstate')); }"
)
DRAWN = (
    "() => new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(() =>"
    " requestAnimationFrame(drawn))))"
)


def views_of(station: str) -> list[str]:
    """The views of a station as the front end has them, so that none is left out."""
    told = ROOT / "web" / "src" / "stations" / station / "views.ts"
    return re.findall(r'id: "(\w+)"', told.read_text()) if told.exists() else [""]


@pytest.fixture(scope="module")
def jobs(product, django_db_blocker):
    """A job that has come as far as a verdict, in each unit."""
    from kardo.server.actions.recompute import ask_for_closed
    from kardo.server.closeout.models import JobClosing
    from kardo.server.jobs.models import Job

    made = {}
    for unit in ("m", "us-ft"):
        plan = demo_plan("sallow-bank")
        title = f"{TITLE} in {unit}"
        plan = plan.model_copy(update={"brief": plan.brief.model_copy(update={"title": title, "unit": unit})})
        add_job(django_db_blocker, plan)
        with django_db_blocker.unblock():
            job = Job.objects.get(title=title)
            d = {p.id: (0.004 * (-1) ** k, 0.002 * k - 0.01, 0.015 - 0.004 * k) for k, p in enumerate(plan.control)}
            JobClosing.objects.create(job=job, document=to_json(Closing(sets=(outcomes(plan, d),))), revision=1)
            ask_for_closed(job, plan)
            made[unit] = str(job.pk)
    return made


def walked(page, job):
    """Every view of the job, opened and settled: station, name of the view, its tray."""
    for station in STATIONS:
        for view in views_of(station):
            page.evaluate(GO, f"/jobs/{job}/{station}/{view}".rstrip("/"))
            tray = page.get_by_test_id(f"tray-{station}")
            tray.wait_for()
            expect(tray.get_by_text(re.compile(r"^(Opening|Computing)"))).to_have_count(0, timeout=120_000)
            expect(page.get_by_text("is being computed")).to_have_count(0, timeout=120_000)
            page.evaluate(DRAWN)
            yield station, f"{station} {view}".strip(), tray


def test_no_view_has_a_barrier_or_a_bare_figure(signed_in, product, jobs):
    page = signed_in
    page.goto(f"{product}/jobs/{jobs['m']}")
    found = []
    for _, name, tray in walked(page, jobs["m"]):
        if page.evaluate("scrollX + scrollY") or tray.evaluate("t => t.scrollTop + t.scrollLeft"):
            found.append(f"{name}: opens scrolled")
        found += [f"{name}: bare {c}" for c in page.evaluate(BARE)]
        for theme in THEMES:
            page.get_by_label("Appearance").select_option(theme)
            rules = EVERY if theme == "light" else OF_COLOURS  # only these depend on the appearance
            found += [f"{name} {theme}: axe {b}" for b in barriers(page, rules)]
    assert not found, "\n".join(dict.fromkeys(found))


@pytest.mark.parametrize("unit", ["m", "us-ft"])
def test_nothing_is_cut_covered_or_scrolled_for_at_any_width_in_any_light(signed_in, product, jobs, unit):
    """The largest letters with the longest figures at every width, and the two other lights in turn, whose letters are
    of one size."""
    page = signed_in
    page.goto(f"{product}/jobs/{jobs[unit]}")
    found: dict[str, list[str]] = {}
    for station, name, _ in walked(page, jobs[unit]):
        for k, (width, height) in enumerate(SIZES):
            if width < PHONE and station not in ON_A_PHONE:
                continue
            page.set_viewport_size({"width": width, "height": height})
            theme = "field" if unit == "us-ft" else ("light", "dark")[k % 2]
            page.get_by_label("Appearance").select_option(theme)
            page.evaluate(DRAWN)
            for what, look in LOOKS.items():
                for where in _rested(page, look):
                    found.setdefault(f"{name}: {what} {where}", []).append(f"{width} {theme}")
            if station == "control" and unit == "m":
                found |= {f"{name}: axe {b}": [str(width)] for b in barriers(page)}
        page.set_viewport_size({"width": 1280, "height": 800})
    assert not found, "\n".join(f"{what} [{', '.join(where)}]" for what, where in found.items())


def _rested(page, look):
    """What is found once nothing is drawn anew any more: tables give way a frame after what fills them."""
    for _ in range(5):
        found = page.evaluate(look)
        if not found:
            return []
        page.evaluate(DRAWN)
    return found


LOOKS = {"covered": COVERED, "cut": CUT, "sideways": SIDEWAYS, "over the sheet": OVER_THE_SHEET}
