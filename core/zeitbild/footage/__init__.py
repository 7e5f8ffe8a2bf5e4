"""Footage: stills, numbered sequences, animations and movies that people brought, as pictures by number.

``looking`` tells what a file holds, ``pictures`` gives one of its pictures, ``playing`` which one is seen at a frame of a shot. Files are
strangers': all that opens one runs apart.
"""
