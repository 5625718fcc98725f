"""The stops of the road, in its words: intake, take, prepare, arrange, draw, write. A job walks them."""
