"""Pure computation: arrays and values in, arrays and values out."""
