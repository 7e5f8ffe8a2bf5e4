"""File-name rules and the list of files."""

import unittest

from zeitbild.document.shot import Layer, Shot, Timing
from zeitbild.errors import NamingError
from zeitbild.naming import NamingRule, Wanted, plan_files
from zeitbild.testing import small_shot


def _shot(rule: str, **more: object) -> Shot:
    return Shot(naming=rule, layers=(Layer(name="sign", passes=("beauty", "matte")),), **more)  # type: ignore[arg-type]


class FilesThatMove(unittest.TestCase):
    """Files that hold all frames of a sequence have no frame in their names."""

    def test_the_frame_is_left_out_with_what_stands_before_it(self) -> None:
        for rule, expected in (
            ("{shot}_{pass}/{shot}_{pass}.{frame:04}.{ext}", "{shot}_{pass}/{shot}_{pass}.{ext}"),
            ("{shot}_{frame}_v{version:03}.{ext}", "{shot}_v{version:03}.{ext}"),
            ("{frame:04}.{ext}", "{shot}_{layer}_{pass}.{ext}"),
            ("{pass}/{frame:04}.{ext}", "{pass}/{shot}_{layer}_{pass}.{ext}"),
            ("{frame:04}/{pass}.{ext}", "{pass}.{ext}"),
            ("{{x}}{shot} - {frame:04}.{ext}", "{{x}}{shot}.{ext}"),
            ("{frame:04}_{pass}.{ext}", "{pass}.{ext}"),
            ("a/{frame:04} - {pass}.{ext}", "a/{pass}.{ext}"),
        ):
            self.assertEqual(NamingRule.parse(rule).without_frame().text, expected)

    def test_each_sequence_is_one_file_and_clashes_are_named(self) -> None:
        plan = plan_files(_shot("{pass}/{frame:04}.{ext}"), version=1, ext="png", wanted=Wanted(container=True))
        self.assertEqual([one.count for one in plan.outputs], [1, 1])
        self.assertEqual(plan.total, 2)
        self.assertEqual(
            {one.first for one in plan.outputs}, {"beauty/KM010_sign_beauty.png", "matte/KM010_sign_matte.png"}
        )
        # Ten thousand frames under a name of one digit are no matter here.
        long = _shot("{pass}_{frame:01}.{ext}", timing=Timing(last=10_000))
        self.assertEqual(plan_files(long, version=1, ext="png", wanted=Wanted(container=True)).total, 2)
        with self.assertRaisesRegex(NamingError, "would both be called"):
            plan_files(_shot("{shot}_{frame:04}.{ext}"), version=1, ext="png", wanted=Wanted(container=True))


class Rules(unittest.TestCase):
    def _reason(self, rule: str) -> str:
        with self.assertRaises(NamingError) as caught:
            NamingRule.parse(rule)
        self.assertEqual(caught.exception.field, "naming")
        return str(caught.exception)

    def test_unknown_field_lists_the_known_ones(self) -> None:
        self.assertIn("{layer}", self._reason("{camera}.{frame:04}.{ext}"))

    def test_frame_field_is_needed(self) -> None:
        self.assertIn("{frame:04}", self._reason("{shot}_{pass}.{ext}"))

    def test_paths_stay_in_their_folder(self) -> None:
        for rule in ("../{frame:04}.{ext}", "/tmp/{frame:04}.{ext}", "a/../../{frame:04}.{ext}", "~/{frame:04}.{ext}"):
            self.assertIn("inside its folder", self._reason(rule))

    def test_refused_characters_are_named(self) -> None:
        for character in '<>:"\\|?*\x07':
            self.assertIn("refused", self._reason(f"a{character}b.{{frame:04}}.{{ext}}"))

    def test_odd_names_are_refused(self) -> None:
        for rule in (
            "a//{frame:04}.{ext}",
            ".x/{frame:04}.{ext}",
            "x /{frame:04}.{ext}",
            "x./{frame:04}.{ext}",
            "{frame:04}",
        ):
            self._reason(rule)

    def test_attribute_access_and_conversions_are_refused(self) -> None:
        for rule in (
            "{shot.__class__}.{frame:04}.{ext}",
            "{shot!r}.{frame:04}.{ext}",
            "{frame:>999999999}.{ext}",
            "{shot:99}.{frame}.{ext}",
        ):
            self._reason(rule)

    def test_unmatched_braces_are_explained(self) -> None:
        self.assertIn("braces", self._reason("{shot.{frame:04}.{ext}"))

    def test_names_sort_in_frame_order(self) -> None:
        rule = NamingRule.parse("{shot}.{frame:04}.{ext}")
        names = [
            rule.name(project="P", shot="S", layer="l", pass_name="beauty", version=1, frame=frame, ext="png")
            for frame in (1, 9, 10, 99, 100, 1000, 9999)
        ]
        self.assertEqual(names, sorted(names))

    def test_frames_with_more_digits_than_the_rule_are_refused(self) -> None:
        rule = NamingRule.parse("{shot}.{frame:02}.{ext}")
        with self.assertRaisesRegex(NamingError, "frame:0{3}|frame:03"):
            rule.name(project="P", shot="S", layer="l", pass_name="b", version=1, frame=100, ext="png")

    def test_reserved_device_names_are_refused(self) -> None:
        rule = NamingRule.parse("{shot}.{frame:04}.{ext}")
        with self.assertRaisesRegex(NamingError, "reserved"):
            rule.name(project="P", shot="CON", layer="l", pass_name="b", version=1, frame=1, ext="png")


class Plans(unittest.TestCase):
    def test_first_last_folder_and_count(self) -> None:
        plan = plan_files(_shot(Shot().naming), version=3, ext="png")
        self.assertEqual(plan.total, 240)
        self.assertEqual(plan.outputs[0].first, "KM010_sign_beauty_v003/KM010_sign_beauty_v003.0001.png")
        self.assertEqual(plan.outputs[1].last, "KM010_sign_matte_v003/KM010_sign_matte_v003.0120.png")
        self.assertEqual(plan.hints, ())

    def test_two_outputs_with_one_name_are_refused(self) -> None:
        with self.assertRaisesRegex(NamingError, "sign / beauty and sign / matte"):
            plan_files(_shot("{shot}.{frame:04}.{ext}"), version=1, ext="png")

    def test_names_that_differ_only_in_case_are_one_name(self) -> None:
        # "a1" with frame 11 and "a11" with frame 1 meet when the frame has no fixed width.
        shot = Shot(
            naming="{layer}{frame}.{ext}",
            layers=(Layer(name="a", passes=("beauty",)), Layer(name="a1", passes=("beauty",))),
        )
        with self.assertRaises(NamingError):
            plan_files(shot, version=1, ext="png")

    def test_shared_folders_and_missing_versions_are_hinted_at(self) -> None:
        plan = plan_files(_shot("{shot}/{pass}.{frame:04}.{ext}"), version=1, ext="png")
        self.assertEqual(len(plan.hints), 2)
        self.assertIn("sign / beauty and sign / matte share the folder KM010", plan.hints[0])

    def test_of_many_in_one_folder_two_are_named(self) -> None:
        passes = ("beauty", "matte", "depth", "normal", "diffuse")
        shot = Shot(
            naming="{shot}/{layer}_{pass}_v{version:03}.{frame:04}.{ext}", layers=(Layer(name="a", passes=passes),)
        )
        (hint,) = plan_files(shot, version=1, ext="png").hints
        self.assertIn("a / beauty, a / matte and 3 more share the folder", hint)

    def test_the_mend_of_a_clash_is_one_that_is_not_there_yet(self) -> None:
        two = (Layer(name="a", passes=("beauty",)), Layer(name="ab", passes=("beauty",)))
        for naming, layers, codes, mend in (
            ("{pass}.{frame:04}.{ext}", two, {}, "add {layer}"),
            ("{layer}{shot}{pass}.{frame:04}.{ext}", two, {}, ""),
            ("{layer}.{frame:04}.{ext}", (Layer(name="a", passes=("beauty", "depth")),), {}, "add {pass}"),
            (
                "{layer}{pass}.{frame:04}.{ext}",
                (Layer(name="a", passes=("depth",)), Layer(name="ab", passes=("beauty",))),
                {"depth": "bc", "beauty": "c"},
                "one of the layers another code",
            ),
        ):
            with self.subTest(naming):
                shot = Shot(naming=naming, layers=layers, pass_codes=codes)
                if mend:
                    with self.assertRaisesRegex(NamingError, mend):
                        plan_files(shot, version=1, ext="png")
                else:
                    plan_files(shot, version=1, ext="png")

    def test_long_ranges_are_planned_quickly_and_whole(self) -> None:
        shot = _shot(Shot().naming.replace(":04", ":05"), timing=Timing(first=1, last=90_000))
        self.assertEqual(plan_files(shot, version=1, ext="png").total, 180_000)


class Hostile(unittest.TestCase):
    def _refused(self, rule: str, **more: object) -> str:
        with self.assertRaises(NamingError) as caught:
            parsed = NamingRule.parse(rule)
            fields = {
                "project": "p",
                "shot": "s",
                "layer": "l",
                "pass_name": "b",
                "version": 1,
                "frame": 1,
                "ext": "png",
                **more,
            }
            parsed.name(**fields)  # type: ignore[arg-type]
        return caught.exception.message

    def test_characters_that_deceive_are_refused_by_name(self) -> None:
        for character in "\u2044\uff0f\u2024\uff0e\u202e\u200b\u2028\u00a0\ufeff\u2066":
            said = self._refused(f"a{character}{{frame:04}}.{{ext}}")
            self.assertRegex(said, "only looks like|does not show|not the usual one")

    def test_device_names_are_refused_however_written(self) -> None:
        for name in ("COM\u00b9", "CONIN$", "conout$", "nul ", "LPT\u00b3.x"):
            self._refused(f"{name}.{{frame:04}}.{{ext}}")

    def test_names_of_a_hand_offs_own_files_are_reserved(self) -> None:
        for name in ("manifest.json", "README.txt", "Manifest.JSON"):
            self.assertIn("file of its own", self._refused(f"{name}/{{frame:04}}.{{ext}}"))

    def test_frames_are_digits_with_zeros(self) -> None:
        self.assertIn("begins with 0", self._refused("a.{frame:4}.{ext}"))
        self.assertIn("minus", self._refused("a.{frame:04}.{ext}", frame=-3))

    def test_length_is_counted_in_bytes(self) -> None:
        NamingRule.parse("ä" * 50 + ".{frame:04}.{ext}").name(
            project="p", shot="s", layer="l", pass_name="b", version=1, frame=1, ext="png"
        )
        self.assertIn("bytes", self._refused("ä" * 70 + ".{frame:04}.{ext}"))

    def test_bare_frame_numbers_are_hinted_at(self) -> None:
        shot = small_shot(naming="{layer}_{pass}.{frame}.{ext}", timing=Timing(last=12))
        self.assertTrue(any("10 sorts before 9" in hint for hint in plan_files(shot, version=1, ext="png").hints))
