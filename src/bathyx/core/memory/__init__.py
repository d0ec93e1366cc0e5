"""What has been worked out once: steps that say what they read, results kept by content, and memos that live with their object."""

from bathyx.core.memory.chain import Answers, Chain
from bathyx.core.memory.content import digest
from bathyx.core.memory.remembered import remembered
from bathyx.core.memory.store import Store, store_of

__all__ = ["Answers", "Chain", "Store", "digest", "remembered", "store_of"]
