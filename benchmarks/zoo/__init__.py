"""A zoo of originals: kinds of footage drawn here, what they show known beforehand, and a judge that looks at what came
of them. ``./shadow bench zoo`` goes through all of it, the tests through a part."""
