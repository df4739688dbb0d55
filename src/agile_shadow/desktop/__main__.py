"""Start the window: ``python -m agile_shadow.desktop [--demo] [PROJECT]``."""

import gc

gc.disable()  # it would walk again and again over what is loaded; the window sees to it from when it is there

from .starting import leave, main  # noqa: E402

if __name__ == "__main__":
    leave(main())
