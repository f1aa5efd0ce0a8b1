"""The computing core: no interface code, no printing, no state of its own."""

import cv2

# Frames are worked on side by side (docs/decisions/004); OpenCV's own threads would only compete with that. Set once,
# before anything uses OpenCV: the number belongs to the whole process, and other threads may be inside OpenCV later.
cv2.setNumThreads(1)
