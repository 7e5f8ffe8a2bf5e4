"""All textures in one list."""

import unittest

import numpy as np

from zeitbild.render.world.texels import texels_of
from zeitbild.snapshot.texture import TEXTURE_ROW, Texture


def _texture(digest: str, *sizes: tuple[int, int]) -> Texture:
    return Texture(digest, False, tuple(np.full((h, w, 3), n, np.float32) for n, (h, w) in enumerate(sizes)))


class Lists(unittest.TestCase):
    def test_no_textures_are_an_empty_list(self) -> None:
        found = texels_of(())
        self.assertEqual((found.values.shape, found.table.shape), ((0, 3), (0, TEXTURE_ROW)))

    def test_the_table_tells_where_each_level_lies(self) -> None:
        first, second = _texture("one", (2, 4), (1, 2), (1, 1)), _texture("two", (3, 1))
        found = texels_of((first, second))
        self.assertEqual(len(found.values), 8 + 2 + 1 + 3)
        self.assertEqual(list(found.table[:, 0]), [3, 1])
        for row, texture in zip(found.table, (first, second), strict=True):
            for number, level in enumerate(texture.levels):
                offset, width, height = row[1 + 3 * number : 4 + 3 * number]
                self.assertEqual((height, width), level.shape[:2])
                np.testing.assert_array_equal(found.values[offset : offset + width * height], level.reshape(-1, 3))

    def test_the_same_textures_are_put_together_once(self) -> None:
        one = _texture("same", (2, 2))
        self.assertIs(texels_of((one,)), texels_of((_texture("same", (2, 2)),)))
        self.assertIsNot(texels_of((one,)), texels_of((_texture("other", (2, 2)),)))

    def test_the_same_file_as_colours_and_as_numbers_are_two(self) -> None:
        colours = _texture("file", (2, 2))
        self.assertNotEqual(colours, Texture("file", True, colours.levels))
