"""What is drawn, written or cut out on the paper: read from files, set from letters, laid on its part.

picture
    Filled regions with their colours in a box, y up; or a photograph of pixels in that box.
painted outline
    What of its box a picture takes: where light paper shows through there is no picture.
lettering
    Text as outlines, set by a font of the program or of the machine; its size is the height of its capitals.
laid item
    An item in the frame of the part that carries it: its box, its outline there, and how it is turned.
"""

from lexipod.pictures.laying import Box, box_of, ink_of, laid_outline, own_measures
from lexipod.pictures.loading import import_picture, load_picture
from lexipod.pictures.picture import Picture

__all__ = ["Box", "Picture", "box_of", "import_picture", "ink_of", "laid_outline", "load_picture", "own_measures"]
