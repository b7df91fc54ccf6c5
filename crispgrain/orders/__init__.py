"""Orders: requests to write files, in a queue that outlives crashes. See :class:`.queue.OrderQueue`."""
