"""What is printed: figures that are right, black on white, pages instead of a mess, and text that stays text."""

import json
import re
import unittest
import xml.etree.ElementTree as ElementTree

from jorvik.core.document.card import check_card
from jorvik.core.document.patch import check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.engine.run import Run
from jorvik.core.engine.trace import trace
from jorvik.formats.pdf import pdf_bytes
from jorvik.formats.print_phrase import phrase_svg, printed_phrase
from jorvik.formats.print_staves import dash_of, drawn
from jorvik.formats.printed import card_part, printed_html, printed_svg
from jorvik.place import ROOT
from tests.support import RATE, Json, demos, note, patch

SVG = "{http://www.w3.org/2000/svg}"


def rows_of(page: str, title: str) -> list[list[str]]:
    """The cells of the table under a heading."""
    part = page.split(f"<h2>{title}</h2>")[1].split("<h2>")[0]
    rows = re.findall(r"<tr>(.*?)</tr>", part)
    return [re.findall(r"<t[dh][^>]*>(.*?)</t[dh]>", row) for row in rows]


class Sheet(unittest.TestCase):
    MODULES: list[Json] = [
        {"id": "lip", "kind": "envelope", "attack_s": 0.1, "decay_s": 0.1, "sustain": 0.5},
        {"id": "warm", "kind": "macro"},
    ]
    ROUTES: list[Json] = [
        {"id": "a", "source": "lip", "destination": "cutoff", "amount": 24.0, "via": "velocity"},
        {"id": "b", "source": "warm", "destination": "fold", "mode": "range", "low": 0.1, "high": 0.7},
        {"id": "c", "source": "key", "destination": "cutoff", "amount": 12.0},
    ]

    def page(self, **more: object) -> str:
        made = patch(
            self.MODULES, self.ROUTES, performance=note(1.0, key=60), voice={"base": {"cutoff": 500.0}}, **more
        )
        return printed_html(made)

    def test_its_tables_say_what_formulas_say(self) -> None:
        page = self.page()
        self.assertIn("<li>lip raises cutoff 24 st, scaled by velocity</li>", page)
        velocities = {row[0]: row[1:] for row in rows_of(page, "At other velocities")}
        for text, velocity in zip(velocities["Cutoff"], (40, 80, 118), strict=True):
            peak, settled = (500 * 2 ** (24 * level * velocity / 127 / 12) for level in (1.0, 0.5))
            said = [float(part.split()[0]) * (1000 if "kHz" in part else 1) for part in text.split(" → ")]
            for found, wanted in zip(said, (peak, settled), strict=True):
                self.assertAlmostEqual(found / wanted, 1.0, delta=1e-3)
        keys = {row[0]: row[1:] for row in rows_of(page, "At other keys")}
        self.assertEqual(next(iter(keys)), "peak → settled, or at note-off")
        low, middle, high = (float(text.split(" → ")[1].split()[0]) for text in keys["Cutoff"])
        self.assertAlmostEqual(middle / low, 2.0, delta=2e-3)
        self.assertAlmostEqual(high * (1000 if high < 10 else 1) / middle, 2.0, delta=2e-3)
        self.assertEqual(rows_of(page, "Macros")[1], ["warm", "Fold", "10 %", "40 %", "70 %"])

    def test_staves_are_a_drawing_in_black_and_white_with_a_pattern_a_source(self) -> None:
        made = check_patch(demos()["ferry-horn"])
        drawing = ElementTree.fromstring(printed_svg(made))  # noqa: S314 (it is our own)
        colours = {
            value for part in drawing.iter() for name in ("stroke", "fill") if (value := part.get(name)) is not None
        }
        greys = {colour for colour in colours if not re.fullmatch(r"#([0-9a-f])\1\1", colour)}
        self.assertLessEqual(greys, {"black", "white", "none"})
        dashes = [dash_of(made, module.id) for module in made.modules]
        self.assertEqual(len(set(dashes)), len(dashes))
        texts = " ".join(part.text or "" for part in drawing.iter(f"{SVG}text"))
        cutoff = trace(made).lanes["cutoff"].value
        said = re.search(r"peak ([\d.]+) kHz at ([\d.]+) ms", texts)
        assert said is not None
        self.assertAlmostEqual(1000 * float(said[1]) / float(cutoff.max()), 1.0, delta=1e-3)
        self.assertAlmostEqual(float(said[2]) / 1000, int(cutoff.argmax()) / RATE, delta=2e-3)

    def test_a_line_goes_through_what_a_column_reaches(self) -> None:
        """A swing that is faster than a column is drawn as far as it goes."""
        fast: Json = {"id": "buzz", "kind": "lfo", "rate": 3000.0, "shape": "sine"}
        route: Json = {"source": "buzz", "destination": "cutoff", "amount": 12.0}
        made = patch([fast], [route], performance=note(2.0), voice={"base": {"cutoff": 1000.0}})
        drawing = ElementTree.fromstring(printed_svg(made))  # noqa: S314
        lines = [part.get("points", "") for part in drawing.iter(f"{SVG}polyline")]
        heights = [float(pair.split(",")[1]) for pair in lines[2].split()]
        self.assertGreater(max(heights) - min(heights), 60)

    def test_the_largest_patch_takes_pages(self) -> None:
        modules: list[Json] = [{"id": f"m{n}", "kind": "constant", "value": n / 64} for n in range(64)]
        routes: list[Json] = [
            {"source": f"m{n % 64}", "destination": ("cutoff", "pitch", "fold")[n % 3], "amount": 0.01}
            for n in range(256)
        ]
        made = patch(modules, routes, performance=note(0.1))
        pages = drawn(made, most=11)
        self.assertEqual(len(pages), -(-(64 + 5) // 11))
        self.assertLess(max(page.tall for page in pages), 1000)
        page = printed_html(made)
        self.assertEqual(len(rows_of(page, "What moves what")), 257)
        self.assertEqual(len(rows_of(page, "Sources")), 65)

    def test_text_stays_text(self) -> None:
        page = self.page(name="<b>Bell</b> & co", notes="5 < 6 <script>x</script>", tags=["a<b"])
        self.assertNotIn("<script>", page)
        self.assertIn("&lt;b&gt;Bell&lt;/b&gt; &amp; co", page)

    def test_in_volts_a_frequency_is_an_octave_a_volt(self) -> None:
        made = patch(voice={"base": {"cutoff": 4 * 261.6255653}})
        self.assertIn(["Cutoff", "2 V"], rows_of(printed_html(made, "volts"), "Set values"))

    def test_a_map_has_a_line_for_each_route_and_each_input(self) -> None:
        page = self.page()
        drawing = page.split("<h2>Map</h2>")[1].split("</svg>")[0]
        self.assertEqual(drawing.count("<path"), len(self.ROUTES))
        for name in ("lip", "warm", "key", "Cutoff", "Fold"):
            self.assertIn(f">{name}</text>", drawing)

    def test_on_a_machine_its_controls_stand_there_too(self) -> None:
        card = check_card(json.loads((ROOT / "demo" / "cards" / "small-staithe.json").read_text()))
        made = check_patch(demos()["night-watch"])
        title, part = card_part(made, card)
        page = printed_html(made, more=[(title, part)])
        rows = {row[0]: row[1:] for row in rows_of(page, "On Small Staithe")}
        self.assertEqual(rows["E2 Attack"][:2], ["12:10 o&#x27;clock", "80 ms"])

    def test_under_a_phrase_it_says_so(self) -> None:
        phrase = check_phrase({"format": "jorvik-phrase", "version": 1, "name": "Slow Tide", "tempo_bpm": 71.0})
        self.assertIn("under Slow Tide, 2 bars at 71 bpm", printed_html(patch().under(phrase)))

    def test_as_a_pdf_it_has_pages(self) -> None:
        pdf = pdf_bytes(printed_html(check_patch(demos()["four-winds"])))
        self.assertTrue(pdf.startswith(b"%PDF-"))
        self.assertGreaterEqual(len(re.findall(rb"/Type\s*/Page\b", pdf)), 1)

    def test_hits_of_the_phrase_stand_on_it_at_their_times(self) -> None:
        phrase = check_phrase(
            {
                "format": "jorvik-phrase",
                "version": 1,
                "tempo_bpm": 60.0,
                "played": [{"at": 0.0, "length": 4.0}],
                "hits": [{"id": "anvil", "strikes": [{"at": 1.0}, {"at": 3.0, "strength": 0.5}]}],
            }
        )
        made = patch().under(phrase)
        (drawing,) = drawn(made)
        row = next(g for g in ElementTree.fromstring(drawing.svg) if "anvil" in [t.text for t in g])
        strokes = [(float(e.attrib["x1"]), float(e.attrib["y1"]) - float(e.attrib["y2"])) for e in list(row)[2:]]
        run = Run(made, RATE)
        run_s = run.length / run.rate
        left = float(row[1].attrib["x1"])
        for (x, _), at in zip(strokes, (1.0, 3.0), strict=True):
            self.assertAlmostEqual((x - left) / (float(row[1].attrib["x2"]) - left), at / run_s, delta=1e-3)
        self.assertAlmostEqual(strokes[1][1] / strokes[0][1], 0.5)


class PhraseSheet(unittest.TestCase):
    PHRASE: Json = {
        "format": "jorvik-phrase",
        "version": 1,
        "name": "Slow <Tide>",
        "bars": 2,
        "played": [
            {"key": 60.0, "at": 5.5, "length": 1.0, "velocity": 127.0},
            {"key": 48.0, "at": 0.0, "length": 2.0, "velocity": 63.5},
        ],
        "hits": [{"id": "anvil", "sound": "thud", "strikes": [{"at": 0.0}, {"at": 6.25}]}],
        "controls": {"mod_wheel": [[0.0, 0.0], [8.0, 1.0]]},
    }

    def test_a_phrase_alone_says_where_each_note_and_stroke_falls(self) -> None:
        page = printed_phrase(check_phrase(self.PHRASE))
        self.assertIn("Slow &lt;Tide&gt;", page)
        self.assertEqual(
            rows_of(page, "Notes as played")[1:], [["1.1", "C3", "2", "63.5"], ["2.2.5", "C4", "1", "127"]]
        )
        self.assertEqual(rows_of(page, "Hits")[1], ["anvil", "thud", "1.1 2.3.25"])

    def test_notes_are_drawn_where_they_sound_as_thick_as_they_are_hard(self) -> None:
        drawing = ElementTree.fromstring(phrase_svg(check_phrase(self.PHRASE)))
        notes = [r for r in drawing.iter(f"{SVG}rect") if r.attrib.get("fill") == "black"]
        (high, low) = [{k: float(v) for k, v in n.attrib.items() if k != "fill"} for n in notes]
        self.assertAlmostEqual(low["width"] / high["width"], 2.0, delta=0.01)
        self.assertAlmostEqual(high["height"] / low["height"], 2.0, delta=0.05)
        self.assertLess(high["y"], low["y"])
        self.assertAlmostEqual((high["x"] - low["x"]) / low["width"], 5.5 / 2.0, delta=0.01)

    def test_nothing_played_is_a_page_too(self) -> None:
        empty = check_phrase({"format": "jorvik-phrase", "version": 1})
        ElementTree.fromstring(phrase_svg(empty))
        self.assertIn("2 bars of 4", printed_phrase(empty))
