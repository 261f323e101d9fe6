"""The report: what it shows, and that nothing in it can be altered unnoticed."""

import json
import random
import re
from html import escape

import numpy as np
import pypdfium2
import pytest

from kardo.cli import main
from kardo.core.accuracy.jointly import checks_jointly
from kardo.core.accuracy.prediction import predict
from kardo.core.close.against import against
from kardo.core.close.closing import Closing
from kardo.core.close.record import (
    RECORD,
    BudgetLine,
    FindingLine,
    Promised,
    Record,
    Signed,
    documents,
    faults,
    record_from_json,
    residual_lines,
)
from kardo.core.close.verdict import verdict
from kardo.core.day.cautions import cautions
from kardo.core.errors import ReadError
from kardo.core.geodesy.units import small
from kardo.core.gnss.heights import vertical_height
from kardo.core.parts import document_digest
from kardo.core.plan.stands import Reading
from kardo.core.practice.glossary import GLOSSARY
from kardo.core.presentation.words import result_text
from kardo.formats.report import _heights_part, html_report, pdf_report, read_report
from kardo.formats.seal import fingerprint_of, seal, unsealed
from tests.conftest import small_plan
from tests.core.test_book import book_of, entry, flown, occupied
from tests.core.test_close import outcomes

SEED = bytes(range(32))
HOSTILE = "<script>alert(1)</script> & </body> “Crest”"


def a_record(unit="m", standard="user_rmse", **changes):
    brief = small_plan().brief.model_copy(update={"title": HOSTILE, "unit": unit, "standard": standard})
    plan = small_plan(brief=brief)
    joint, result = checks_jointly(plan), predict(plan)
    rng = np.random.default_rng(5)
    d = np.linalg.cholesky(joint.covariance) @ rng.standard_normal(len(joint.covariance))
    drawn = {k: tuple(map(float, x)) for k, x in zip(joint.points, d.reshape(-1, 3), strict=True)}
    taken, said = outcomes(plan, drawn), result_text(plan, result)
    book = book_of(
        [
            entry(1, 0, kind="set_up", setup="base", mark="A", plummet_on=True),
            entry(2, 2, kind="height", setup="base", measured_to="slant", typed="1.834 m", metres=1.834),
            occupied(3, "G1", 5),
            flown(4, 1, 40),
            entry(5, 50, kind="note", words=HOSTILE),
        ]
    )
    parts = {
        "organisation": "Corvane Survey Office",
        "title": plan.brief.title,
        "revision": 12,
        "made_at": "2027-03-20T08:00:00+00:00",
        **documents(plan, book, Closing(sets=(taken,))),
        "closed_hash": plan.hash,
        "promised": [Promised.of("planned", result), Promised.of("as done", result)],
        "residuals": residual_lines(plan, taken),
        "verdict": verdict(plan, {o.point: o.d for o in taken.outcomes}),
        "against": against(plan, drawn, joint),
        "shift": None,
        "blind": said.blind,
        "budget": [
            BudgetLine(n, s.sigma_h, s.sigma_v, s.share_h, s.share_v)
            for n, s in zip(said.budget, result.budget, strict=True)
        ],
        "findings": [
            FindingLine("a-rule", "warn", "", "Heights were read once.", "Read twice.", "pole of fixed height")
        ],
        "contradictions": ["The book counts 90 images, processing found 80."],
        "cautions": list(cautions(plan)),
        "signed": Signed(
            "Party chief", "2027-03-20T08:05:00+00:00", "The surface of the crest, as delivered.", fingerprint_of(SEED)
        ),
    }
    return Record(**(parts | changes))


@pytest.fixture(scope="module")
def record():
    return a_record()


@pytest.fixture(scope="module")
def files(record):
    return {"pdf": pdf_report(record, SEED), "html": html_report(record, SEED)}


def pages(data):
    document = pypdfium2.PdfDocument(data)
    try:
        return [document[k].get_textpage().get_text_range() for k in range(len(document))]
    finally:
        document.close()


STRICT = ("nssda", "asprs_2023", "volume")


@pytest.mark.parametrize("standard", STRICT)
def test_one_page_holds_also_what_a_strict_standard_misses_in_feet(standard):
    first, second, *_ = pages(pdf_report(a_record("us-ft", standard), SEED))
    assert "asks and is not met" in first and "EPSG:25828" in first and second.lstrip().startswith("The plan")


@pytest.mark.parametrize("unit", ["m", "us-ft"])
def test_one_page_for_the_reviewer_then_the_evidence(unit):
    record = a_record(unit)
    first, *rest = pages(pdf_report(record, SEED))
    evidence = " ".join(rest)
    for c in record.verdict.checks:
        assert small(c.rmse, unit) in first
    for line in (
        "KEEPS ITS TOLERANCE",
        "Party chief",
        fingerprint_of(SEED),
        "What the check points cannot see",
        "EPSG:25828",
        "Global test",
    ):
        assert line in first
    for line in (
        "The plan",
        "Marks and datum",
        "Set-ups and heights",
        "1.834 m",
        "Budget",
        "Assumptions",
        "waived: pole",
        "Cautions",
    ):
        assert line in evidence and line not in first.split("Global test")[1].replace("The plan ", "")
    assert record.plan_digest in evidence.replace("\r\n", "") and f"plan {record.plan_digest[:8]}" in first


def test_what_somebody_typed_stays_text(record, files):
    html = files["html"].decode()
    assert "<script>alert" not in html and "&lt;script&gt;alert(1)&lt;/script&gt;" in html
    assert html.count("<script") == 1  # the record's own


@pytest.mark.parametrize("kind", ["pdf", "html"])
def test_a_report_carries_its_record_and_the_key(record, files, kind):
    back, key = read_report(files[kind])
    assert back == record_from_json(RECORD.dump_python(record, mode="json"))
    assert key == fingerprint_of(SEED) and faults(back) == []


@pytest.mark.parametrize("kind", ["pdf", "html"])
def test_no_byte_of_a_report_can_be_changed_unnoticed(files, kind):
    chance, data = random.Random(3), files[kind]
    places = [*chance.sample(range(len(data)), 150), *range(len(data) - 160, len(data))]
    for at in places:
        altered = bytearray(data)
        altered[at] ^= 1 << chance.randrange(8)
        with pytest.raises(ReadError):
            read_report(bytes(altered))
    for altered in (data[:-1], data + b"\n", data[: len(data) // 2], data + b"x", b"", data[:-200] + data[-199:]):
        with pytest.raises(ReadError):
            read_report(altered)


def test_a_seal_taken_from_another_report_does_not_fit(files):
    other = seal(b"%PDF another", "pdf", SEED)
    at = other.rindex(b"\n%kardo-seal")
    with pytest.raises(ReadError, match="altered"):
        unsealed(unsealed(files["pdf"]).content + other[at:])


def test_a_report_under_another_key_than_it_names_is_refused(record):
    """Somebody alters the record and seals it anew: the key is then another one, and to name that is to be found out by
    who compares."""
    with pytest.raises(ReadError, match="names the key"):
        read_report(pdf_report(record, bytes(32)))


def test_the_command_tells_an_altered_report_and_another_key(files, tmp_path, capsys):
    good, bad = tmp_path / "report.pdf", tmp_path / "altered.pdf"
    good.write_bytes(files["pdf"])
    bad.write_bytes(files["pdf"].replace(b"obj", b"0bj", 1))
    assert main(["verify", str(good)]) == 0
    shown = capsys.readouterr().out
    assert "Intact since it was signed" in shown and "revision 12" in shown and fingerprint_of(SEED) in shown
    assert main(["verify", str(bad)]) == 1 and "altered" in capsys.readouterr().err
    assert main(["verify", str(good), "--key", fingerprint_of(SEED)]) == 0
    assert main(["verify", str(good), "--key", fingerprint_of(bytes(32))]) == 1
    draft = tmp_path / "draft.html"
    draft.write_bytes(html_report(a_record(signed=None)))
    assert main(["verify", str(draft)]) == 1 and "no seal" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (lambda r: r["plan"]["brief"].update(tolerance_v=0.2), "plan is not"),
        (lambda r: r["book"].pop(), "book is not"),
        (lambda r: r["closing"]["sets"][0].update(file="other.csv"), "closing is not"),
        (lambda r: r["residuals"][-1].update(d=[0.0, 0.0, 0.0]), "do not follow"),
        (lambda r: r["verdict"]["checks"][3].update(rmse=0.001), "do not follow"),
    ],
)
def test_a_record_that_does_not_agree_with_itself_is_found_out_even_under_a_new_seal(record, change, told):
    data = json.loads(json.dumps(RECORD.dump_python(record, mode="json")))
    change(data)
    sealed = html_report(record_from_json(data), SEED)
    assert any(told in fault for fault in faults(read_report(sealed)[0]))


def test_a_record_of_before_the_plan_knew_some_fields_still_agrees_with_itself(record):
    """A later Kardo reads the plan with what was added since; what was signed is held against the document that was
    signed."""
    data = json.loads(json.dumps(RECORD.dump_python(record, mode="json")))
    for setup in data["plan"]["setups"]:
        del setup["devices"], setup["pole_to"]
    del data["closing"]["waivers"]
    data |= {"plan_digest": document_digest(data["plan"]), "closing_digest": document_digest(data["closing"])}
    assert faults(record_from_json(data)) == []


@pytest.mark.parametrize(
    ("way", "support", "up"),
    [("vertical", "tripod", 1.5 + 0.03), ("pole", "fixed_pole", 1.5 + 0.03 - 0.06), ("slant", "tripod", None)],
)
def test_heights_as_measured_are_reduced_as_the_plan_reduces_them(way, support, up):
    """An adapter, and a pole whose length leads to the phase centre: raw readings stood under "vertical, mark to
    ARP"."""
    plan = small_plan(setup={"adapter": 0.03, "pole_to": "apc", "support": support})
    antenna = plan.antenna(plan.setups[0].antenna).model_copy(update={"apc_above_arp": 0.06})
    plan = plan.model_copy(update={"kit": plan.kit.model_copy(update={"antennas": (antenna,)})})
    book = book_of([entry(1, 2, kind="height", setup="base", measured_to=way, typed="1.500 m", metres=1.5)])
    if up is None:
        up = (1.5**2 - antenna.disc_radius**2) ** 0.5 - antenna.edge_above_arp
    html = _heights_part(plan, book)
    assert "1.5000 m" in html and f"{up:.4f} m" in html
    assert vertical_height(
        plan, plan.setups[0], Reading(metres=1.5, measured_to="vertical" if way == "vertical" else "slant")
    ) == pytest.approx(up)


def test_the_words_that_stand_in_a_report_are_explained_at_its_end(record):
    told, _, words = html_report(record).decode().partition("<h2>Words</h2>")
    plain = re.sub(r"<[^>]+>", " ", told).casefold()
    for word in GLOSSARY:
        used = re.search(rf"\b{re.escape(word.term)}", plain, re.IGNORECASE) is not None
        assert (f"<td>{escape(word.term)}</td>" in words) == used, word.term
    assert "<td>check point</td>" in words
