"""The demo farm, Wrenfold Steading: made up, and built through the same actions as the screens."""
