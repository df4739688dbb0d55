from .file import KIT_FILE, Kit, is_kit, read_kit
from .home import Brought, Coming, KitHomeRequest, bring_home, look_home, with_brought
from .making import KitPlan, KitRequest, make_kit, plan_kit
from .merging import Conflict, merge_cuts
from .opening import open_kit

__all__ = [
    "KIT_FILE",
    "Brought",
    "Coming",
    "Conflict",
    "Kit",
    "KitHomeRequest",
    "KitPlan",
    "KitRequest",
    "bring_home",
    "is_kit",
    "look_home",
    "make_kit",
    "merge_cuts",
    "open_kit",
    "plan_kit",
    "read_kit",
    "with_brought",
]
