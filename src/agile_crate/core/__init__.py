"""The computation: NumPy arrays and plain values in and out. No files, no printing, no command line, no clock.

Conventions that hold in every module here:

* pixels are arrays of shape (height, width, 4), dtype uint8, red, green, blue and straight alpha, 0 to 255;
* x runs right, y runs down, a box is x, y, width, height, so its right and bottom edges are exclusive;
* no function changes an array it was handed, unless its docstring says so in the first line.
"""
