"""The cases that are asked: every broken image of the lab of images, and systems that the other labs do not have."""
import lab


def cases():
    """Name, how it is made, and the causes that are right."""
    for name, build, boots, causes in lab.chosen([]):
        if boots is False:
            yield name, build, causes
