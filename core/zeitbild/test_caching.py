"""What is kept of uploads: by key, up to a size, the least wanted first."""

import unittest
from concurrent.futures import ThreadPoolExecutor

from zeitbild.caching import SizedCache


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        self.made: list[str] = []
        self.cache = SizedCache[bytes](10, len)

    def _get(self, key: str, size: int) -> bytes:
        def make() -> bytes:
            self.made.append(key)
            return bytes(size)

        return self.cache.get(key, make)

    def test_a_value_is_made_once(self) -> None:
        first = self._get("a", 4)
        self.assertIs(self._get("a", 4), first)
        self.assertEqual(self.made, ["a"])

    def test_what_was_not_asked_for_the_longest_goes_first(self) -> None:
        for key in ("a", "b", "a", "c"):
            self._get(key, 4)
        self._get("a", 4)
        self._get("b", 4)
        self.assertEqual(self.made, ["a", "b", "c", "b"])

    def test_what_is_too_large_is_given_and_not_kept(self) -> None:
        self._get("small", 4)
        self.assertEqual(len(self._get("large", 50)), 50)
        self._get("large", 50)
        self._get("small", 4)
        self.assertEqual(self.made, ["small", "large", "large"])

    def test_a_failure_is_not_kept(self) -> None:
        def fail() -> bytes:
            raise ValueError("broken")

        with self.assertRaises(ValueError):
            self.cache.get("a", fail)
        self.assertEqual(len(self._get("a", 3)), 3)

    def test_many_threads_get_the_same_and_lose_nothing(self) -> None:
        kept: dict[str, set[int]] = {}
        cache = SizedCache[bytes](400, len)

        def ask(number: int) -> None:
            key = str(number % 7)
            value = cache.get(key, lambda: bytes([number % 7]) * 20)
            kept.setdefault(key, set()).add(value[0])

        with ThreadPoolExecutor(8) as pool:
            list(pool.map(ask, range(4000)))
        self.assertEqual(kept, {str(number): {number} for number in range(7)})
