"""A secret is found in whatever form it stands, whole or in part, at once or piece by piece."""

import base64
import html
import json
import random
import shlex
import string
import unittest
from urllib.parse import quote, quote_plus

from unvek.core.ask.secrets import Secrets

CHARACTERS = string.ascii_letters + string.digits + "/+%\\\"'&<> é😀=_-"


def forms(secret: str) -> dict[str, str]:
    data, units = secret.encode(), secret.encode("utf-16-be")
    found = {
        "as it is": secret,
        "json": json.dumps(secret)[1:-1],
        "json in UTF-8": json.dumps(secret, ensure_ascii=False)[1:-1],
        "json, slashes": json.dumps(secret)[1:-1].replace("/", "\\/"),
        "json, all": "".join(f"\\u{units[at]:02x}{units[at + 1]:02X}" for at in range(0, len(units), 2)),
        "json in json": json.dumps(json.dumps(secret))[1:-1],
        "percent": quote(secret),
        "percent, all": "".join(f"%{byte:02x}" for byte in data),
        "percent, form": quote_plus(secret),
        "percent twice": quote(quote(secret, safe=""), safe=""),
        "percent in json": json.dumps(quote(secret, safe=""))[1:-1],
        "html": html.escape(secret),
        "html, all": "".join(f"&#{ord(character)};" for character in secret),
        "shell": shlex.quote(secret),
        "shell, escaped": "".join(f"\\{c}" if c in string.punctuation + " " else c for c in secret),
    }
    if len(data) >= 8:
        found |= {
            "base64": base64.b64encode(data).decode().rstrip("="),
            "base64 of a URL": base64.urlsafe_b64encode(data).decode().rstrip("="),
            "hex": data.hex(),
        }
    return found


class Forms(unittest.TestCase):
    def test_every_form_of_any_secret_is_hidden_at_once_and_character_by_character(self):
        rng = random.Random(14)
        for length in (4, 6, 8, 11, 20, 40) * 3:
            secret = "".join(rng.choice(CHARACTERS) for _ in range(length))
            secrets = Secrets(["KEY"], {"KEY": secret})
            for form, written in forms(secret).items():
                with self.subTest(secret=secret, form=form):
                    text = f"before {written} after"
                    stream = secrets.text_stream()
                    in_pieces = "".join(map(stream.feed, text)) + stream.rest()
                    for hidden in (secrets.hide_text(text), in_pieces):
                        self.assertIn("[KEY]", hidden)
                        left = hidden.replace("[KEY]", "").removeprefix("before ").removesuffix(" after")
                        self.assertLess(len(left), 8)  # quotes around it, at most a part that is none

    def test_a_secret_within_a_longer_base64_is_hidden(self):
        secret = "sk-4f9aK2mZ81qLx7Pw03vNbR5tYd"
        for before in ("", "u:", "user:"):
            told = base64.b64encode(f"{before}{secret}@".encode()).decode()
            hidden = Secrets(["KEY"], {"KEY": secret}).hide_text(f"Authorization: Basic {told}")
            self.assertIn("[KEY]", hidden)
            self.assertLess(len(hidden), len("Authorization: Basic [KEY]") + 16)

    def test_eight_characters_of_it_are_hidden_and_what_is_like_it_is_not(self):
        secrets = Secrets(["KEY"], {"KEY": "correct-horse-battery-staple"})
        self.assertEqual(secrets.hide_text("phase horse-ba!"), "phase [KEY]!")
        self.assertEqual(secrets.hide_text("a horse, a battery"), "a horse, a battery")
        self.assertEqual(secrets.hide_text("horse-b correct"), "horse-b correct")
        self.assertEqual(secrets.hide_in({"horse-battery": ["orrect-horse-", 4]}), {"[KEY]": ["[KEY]", 4]})

    def test_what_holds_none_comes_out_as_it_went_in_however_it_is_cut(self):
        rng = random.Random(5)
        secrets = Secrets(["KEY", "OTHER"], {"KEY": "abcdefgh-ijklmnop", "OTHER": "a%b'c\\d"})
        for _ in range(200):
            text = "".join(rng.choice("abc d%41\\u'\"&;é😀\ud800xyz+") for _ in range(60))
            if secrets.hide_text(text) != text:
                continue
            stream, out, at = secrets.text_stream(), "", 0
            while at < len(text):
                size = rng.randrange(1, 9)
                out += stream.feed(text[at : at + size])
                at += size
            self.assertEqual(out + stream.rest(), text.encode("utf-8", "surrogatepass").decode("utf-8", "replace"))

    def test_a_short_or_missing_one_hides_nothing(self):
        secrets = Secrets(["A", "B"], {"A": "abc"})
        self.assertFalse(secrets)
        self.assertEqual((secrets.hide(b"abc"), secrets.missing), (b"abc", ("B",)))


if __name__ == "__main__":
    unittest.main()
