"""What the window is about, without a widget: the design and its history, what follows from it, what is looked at, what is kept aside."""
