// A process that is gone at once.
