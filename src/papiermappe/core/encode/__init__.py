"""From page pictures to the files people keep."""
