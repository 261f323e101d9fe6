"""All nine stations at three sizes and in three appearances: no barrier, nothing cut off, nothing covered, no figure without its unit,
none that opens scrolled."""

import re

import pytest
from playwright.sync_api import expect

from kardo.core.close.closing import Closing
from kardo.core.plan.parts import to_json
from kardo.demo import demo_plan
from tests.browser.test_house import EVERY, OF_COLOURS, barriers
from tests.browser.test_verdict import add_job
from tests.core.test_close import outcomes

VIEWS = {
    "base": ("scheme", "setups", "card", "satellites", "sessions"),
    "close": ("residuals", "verdict", "against", "mend", "report"),
}
STATIONS = ("brief", "site", "flight", "base", "control", "verdict", "day", "book", "close")
FIT = {"day", "book", "close"}
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
  const unit = /(^|[^a-z])(mm|m|km|ft|ftUS|ha|acres|m²|m³|%|°|ppm|px|s|min|h|images|n|no\\.|MB|m\\/s|ft\\/s|to pass|by chance|checks|exposures)([^a-z]|$)/i;
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


GO = "path => { history.pushState(null, '', path); dispatchEvent(new PopStateEvent('popstate')); }"  # as a link does, without loading all anew


@pytest.fixture(scope="module")
def job(product, django_db_blocker):
    """A job that has come as far as a verdict."""
    from kardo.server.closeout.keeping import ask_for_closed
    from kardo.server.closeout.models import JobClosing
    from kardo.server.jobs.models import Job

    plan = demo_plan("sallow-bank")
    plan = plan.model_copy(update={"brief": plan.brief.model_copy(update={"title": TITLE})})
    add_job(django_db_blocker, plan)
    with django_db_blocker.unblock():
        made = Job.objects.get(title=TITLE)
        d = {p.id: (0.004 * (-1) ** k, 0.002 * k - 0.01, 0.015 - 0.004 * k) for k, p in enumerate(plan.control)}
        JobClosing.objects.create(job=made, document=to_json(Closing(sets=(outcomes(plan, d),))), revision=1)
        ask_for_closed(made, plan)
        return str(made.pk)


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (820, 1180), (390, 844)])
def test_the_line_holds_at_every_size_and_in_every_light(signed_in, product, job, width, height):
    page = signed_in
    page.set_viewport_size({"width": width, "height": height})
    page.goto(f"{product}/jobs/{job}")
    found = []
    for station in STATIONS:
        for view in VIEWS.get(station, ("",)):
            page.evaluate(GO, f"/jobs/{job}/{station}/{view}".rstrip("/"))
            tray = page.get_by_test_id(f"tray-{station}")
            tray.wait_for()
            expect(tray.get_by_text(re.compile(r"^(Opening|Computing)"))).to_have_count(0, timeout=120_000)
            expect(page.get_by_text("is being computed")).to_have_count(0, timeout=120_000)
            page.evaluate("() => new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)))")
            name = f"{station} {view}".strip()
            if page.evaluate("scrollX + scrollY") or tray.evaluate("t => t.scrollTop + t.scrollLeft"):
                found.append(f"{name}: opens scrolled")
            found += [f"{name}: bare {c}" for c in page.evaluate(BARE)]
            for theme in ("dark", "field", "light"):
                page.get_by_label("Appearance").select_option(theme)
                rules = EVERY if theme == "light" else OF_COLOURS  # only these depend on the appearance
                found += [f"{name} {theme}: axe {b}" for b in barriers(page, rules)]
                found += [f"{name} {theme}: covered {c}" for c in page.evaluate(COVERED)]
                found += [f"{name} {theme}: cut {c}" for c in page.evaluate(CUT)]
                wide = page.evaluate("document.documentElement.scrollWidth - innerWidth")
                if wide > 0 and (station in FIT or width >= 1280):
                    found.append(f"{name} {theme}: {wide} px too wide")
    assert not found, "\n".join(dict.fromkeys(found))
