"""The worker: a process of its own that takes line checks from the queue and runs them."""
