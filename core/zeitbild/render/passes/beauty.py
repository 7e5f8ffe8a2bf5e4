"""Beauty: the finished picture with its alpha."""

from zeitbild.render.passes._base import Pass, passes

passes.register(Pass("beauty", "The finished picture with alpha", "colour", lambda picture: picture.beauty, order=0))
