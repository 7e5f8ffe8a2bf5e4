"""Contact prints by other libraries: where prints lie, what is written below them, how pages break."""

import tempfile
import unittest
from fractions import Fraction
from pathlib import Path

import numpy as np
import pypdfium2 as pdfium  # type: ignore[import-untyped]
from PIL import Image

from zeitbild.errors import InputError
from zeitbild.formats import Plane, formats


def _print(number: int, size: tuple[int, int] = (90, 160)) -> Plane:
    """An even grey by its number, opaque."""
    pixels = np.ones((*size, 4), np.float32)
    pixels[..., :3] = (number % 7 + 1) / 10
    return Plane("colour", pixels, name="beauty", layer="sign", rate=Fraction(25), frame=10 + number)


class Contact(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def _written(self, name: str, planes: list[Plane], options: dict[str, str]) -> Path:
        form = formats.get(name)
        path = self.folder / f"prints.{form.extension}"
        writer = form.open(path, "pass", options)
        for plane in planes:
            writer.add([plane])
        writer.close()
        return path

    def test_prints_stand_in_rows_in_their_order(self) -> None:
        for columns, wanted in (("0", None), ("3", 3), ("100", 10), ("1", 1)):
            path = self._written("contact", [_print(number) for number in range(10)], {"columns": columns})
            with Image.open(path) as file:
                pixels = np.asarray(file.convert("L"))
            # Even squares of 160 x 90 that are no paper.
            starts = []
            y = 0
            while y < pixels.shape[0] - 90:
                row = pixels[y : y + 90]
                x = np.flatnonzero((np.ptp(row, axis=0) == 0) & (row[0] < 240))
                if len(x) >= 160:
                    starts.append((y, len(x) // 160, int(row[0, x[0]])))
                    y += 90
                else:
                    y += 1
            self.assertEqual(sum(count for _, count, _ in starts), 10)
            if wanted is not None:
                self.assertEqual(starts[0][1], wanted)
            else:
                self.assertLess(abs(np.log(pixels.shape[1] / pixels.shape[0])), np.log(2.2))

    def test_pages_break_and_tell_frames_and_time(self) -> None:
        path = self._written("contact-pdf", [_print(number) for number in range(30)], {"columns": "4", "times": "both"})
        file = pdfium.PdfDocument(path)
        texts = [page.get_textpage().get_text_bounded() for page in file]
        counts = [sum(1 for _ in page.get_objects(filter=[pdfium.raw.FPDF_PAGEOBJ_IMAGE])) for page in file]
        self.assertEqual(sum(counts), 30)
        self.assertEqual(len(counts), -(-30 // counts[0]))
        for part in ("sign", "beauty", "frames 10 to 39", "25 a second", "00:00:00:00", "1 of"):
            self.assertIn(part, texts[0])
        self.assertIn("39", texts[-1])
        self.assertIn("00:00:01:04", texts[-1])
        # Nothing lies outside of its page.
        for page in file:
            for one in page.get_objects():
                left, bottom, right, top = one.get_bounds()
                self.assertTrue(left >= 0 and bottom >= 0 and right <= page.get_width() and top <= page.get_height())
        file.close()

    def test_upright_and_tiny_prints_fit_their_page(self) -> None:
        for size in ((300, 40), (1, 1), (16, 400)):
            path = self._written("contact-pdf", [_print(number, size) for number in range(5)], {})
            file = pdfium.PdfDocument(path)
            self.assertEqual(
                sum(1 for page in file for _ in page.get_objects(filter=[pdfium.raw.FPDF_PAGEOBJ_IMAGE])), 5
            )
            file.close()

    def test_a_sheet_that_would_be_too_large_says_what_to_do(self) -> None:
        with self.assertRaises(InputError) as caught:
            self._written("contact", [_print(number, (2000, 3000)) for number in range(9)], {"columns": "9"})
        self.assertIn("PDF", caught.exception.message)


if __name__ == "__main__":
    unittest.main()
