"""Pure data: properties, channel sources, conventions, the ledger of a set. No pixels."""
