"""Values as people type them."""

import unittest

from jorvik.core.problems import Problem
from jorvik.core.units.tempo import Tempo, quarters
from jorvik.core.units.values import parse_value


class Understood(unittest.TestCase):
    def test_units(self) -> None:
        cases: list[tuple[str, str, float | str]] = [
            ("180ms", "s", 0.18),
            ("1.5 s", "s", 1.5),
            (".5", "s", 0.5),
            ("1/8d", "s", "1/8d"),
            ("2bar", "s", "2bar"),
            ("2.2kHz", "Hz", 2200.0),
            ("5.1 hz", "Hz", 5.1),
            ("A4", "Hz", 440.0),
            ("200ms", "Hz", 5.0),
            ("1/4", "Hz", "1/4"),
            ("7st", "st", 7.0),
            ("-30 cents", "st", -0.3),
            ("1oct", "st", 12.0),
            ("7st", "oct", 7 / 12),
            ("C3", "key", 48.0),
            ("f#2", "key", 42.0),
            ("Bb-1", "key", 10.0),
            ("61.5", "key", 61.5),
            ("40%", "ratio", 0.4),
            ("3V", "ratio", 0.6),
            ("−12", "bend", -12.0),
            ("50%", "velocity", 63.5),
            ("90°", "cycle", 0.25),
            ("80", "ms", 80.0),
            ("0.08s", "ms", 80.0),
        ]
        for text, unit, wanted in cases:
            with self.subTest(text=text, unit=unit):
                value = parse_value(text, unit).value
                if isinstance(wanted, str):
                    self.assertEqual(value, wanted)
                else:
                    self.assertAlmostEqual(float(value), wanted, places=9)

    def test_a_note_value_becomes_seconds_where_the_field_holds_none(self) -> None:
        given = parse_value("1/8d", "s", note_values=False, tempo=Tempo(90)).value
        self.assertAlmostEqual(float(given), 0.5)

    def test_decibels_are_a_linear_ratio(self) -> None:
        self.assertAlmostEqual(float(parse_value("-6 dB", "ratio").value), 10 ** (-0.3), places=12)

    def test_units_and_note_values_in_words(self) -> None:
        for text, unit, value in (
            ("2 seconds", "s", 2.0),
            ("300 milliseconds", "s", 0.3),
            ("300 \u00b5s", "s", 300 * 1e-6),
            ("300 \u03bcs", "s", 300 * 1e-6),
            ("8 bars", "s", "8bar"),
            ("1 bar", "Hz", "1bar"),
            ("0.5 beats", "s", "1/8"),
            ("3 beats", "s", "3/4"),
            ("1/8 dotted", "s", "1/8d"),
            ("1/16 triplets", "Hz", "1/16t"),
            ("0.5 beats", "beats", 0.5),
            ("250 ms", "Hz", 4.0),
        ):
            with self.subTest(text):
                self.assertEqual(parse_value(text, unit).value, value)
        # Beats that are no round part of a bar are as near as a ninety-sixth.
        seconds = parse_value("0.32 beats", "s", note_values=False, tempo=Tempo(96)).value
        self.assertAlmostEqual(float(seconds), 0.32 * 60 / 96, delta=0.5 / 96 * 60 / 96)

    def test_a_bare_number_is_in_the_unit_shown(self) -> None:
        self.assertAlmostEqual(float(parse_value("500", "s", bare="ms").value), 0.5)
        self.assertAlmostEqual(float(parse_value("2.5", "Hz", bare="kHz").value), 2500.0)
        self.assertAlmostEqual(float(parse_value("45", "ratio", bare="%").value), 0.45)


class Refused(unittest.TestCase):
    def refused(self, text: str, unit: str, *said: str, **limits: float) -> None:
        with self.assertRaises(Problem) as caught:
            parse_value(text, unit, "Attack", **limits)  # type: ignore[arg-type]
        self.assertTrue(str(caught.exception).startswith("Attack: "))
        for words in said:
            self.assertIn(words, str(caught.exception))

    def test_a_wrong_entry_says_what_was_understood(self) -> None:
        self.refused("12 bananas", "s", "12 is clear", "bananas", "180ms")
        self.refused("quick", "s", '"quick"', "a number with its unit")
        self.refused("7st", "s", "7 is clear", '"st"')
        self.refused("", "Hz", "nothing")
        self.refused("1/0", "s", '"1/0"')
        self.refused("9" * 65, "s", "65 characters")
        self.refused("0ms", "Hz", "finite")

    def test_bounds_are_said_in_the_unit(self) -> None:
        self.refused("90s", "s", "0 to 60 s", low=0.0, high=60.0)
        self.refused("150%", "ratio", "1.5", "0 to 1", low=0.0, high=1.0)
        self.refused("99bar", "s", "198 s", low=0.0, high=60.0)


class Tempi(unittest.TestCase):
    def test_note_values(self) -> None:
        for text, wanted in {"1/4": 1, "1/8d": 0.75, "1/4t": 2 / 3, "3/8": 1.5, "2bar": 8, "1/16": 0.25}.items():
            self.assertAlmostEqual(quarters(text), wanted)
        self.assertEqual(quarters("2bar", beats_per_bar=3), 6)
        self.assertAlmostEqual(Tempo(96).seconds("1/4"), 0.625)
        self.assertAlmostEqual(Tempo(120).hertz("1/8"), 4.0)

    def test_what_is_none(self) -> None:
        for text in ("", "1/", "/4", "1/4x", "1/0", "bar", "-1/4", "1/4dt"):
            with self.assertRaises(ValueError):
                quarters(text)


class Arithmetic(unittest.TestCase):
    def test_it_is_worked_out(self) -> None:
        tempo = Tempo(120)
        for text, unit, wanted in (
            ("1/4 - 12ms", "s", 0.488),
            ("180ms * 2", "s", 0.36),
            ("1/8 + 1/16", "s", 0.375),
            ("C4 + 12st", "Hz", 523.2511306),
            ("1kHz - 1oct", "Hz", 500.0),
            ("40% + 0.1", "ratio", 0.5),
            ("1 / 4", "s", 0.25),
        ):
            got = parse_value(text, unit, note_values=True, tempo=tempo, bare=unit).value
            self.assertAlmostEqual(float(got), wanted, places=6, msg=text)

    def test_of_the_present_value(self) -> None:
        self.assertAlmostEqual(float(parse_value("*2", "s", present=0.3).value), 0.6)
        self.assertAlmostEqual(float(parse_value("/4", "Hz", present=100.0).value), 25.0)
        self.assertAlmostEqual(float(parse_value("*2", "s", present="1/4", tempo=Tempo(60)).value), 2.0)

    def test_what_makes_no_sense_is_named(self) -> None:
        for text, unit in (("*2", "s"), ("3 * 2ms", "s"), ("3s / 0", "s"), ("3s + apples", "s")):
            with self.assertRaises(Problem):
                parse_value(text, unit)
        with self.assertRaisesRegex(Problem, "at most|to"):
            parse_value("50s * 2", "s", low=0, high=60)


class AtTheEdge(unittest.TestCase):
    def test_what_stands_in_a_rates_field_as_a_note_value_is_the_period_of_a_rate(self) -> None:
        """An eighth at 120 bpm comes four times a second: twice that is 8 Hz, half of it 2 Hz."""
        tempo = Tempo(120.0)
        for text, hertz in (("*2", 8.0), ("/2", 2.0), ("* 3", 12.0)):
            found = parse_value(text, "Hz", present="1/8", tempo=tempo).value
            self.assertAlmostEqual(float(found), hertz, places=9, msg=text)
        self.assertAlmostEqual(float(parse_value("*2", "s", present="1/8", tempo=tempo).value), 0.5, places=9)

    def test_what_goes_past_every_number_is_refused_in_a_sentence(self) -> None:
        for text, unit in (
            ("1 / 1e-320", "ratio"),
            ("1e308 + 1e308", "signal"),
            ("1 * 1e999", "signal"),
            ("1 * 1e308 * 1e308", "signal"),
            ("C3 + 1e9st", "Hz"),
            ("C3 + 1e999st", "Hz"),
            ("1e999", "s"),
        ):
            with self.subTest(text=text), self.assertRaises(Problem) as refused:
                parse_value(text, unit, "the field")
            self.assertRegex(str(refused.exception), "^the field: found .*; it must be .")

    def test_what_stands_there_and_is_no_value_is_refused(self) -> None:
        with self.assertRaisesRegex(Problem, "zz"):
            parse_value("*2", "Hz", present="zz")


if __name__ == "__main__":
    unittest.main()
