"""Title frames: pictures, words, boxes and logos laid out by a template, for a screen or for paper."""
