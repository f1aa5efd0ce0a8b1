"""The measures, in the order of their curves."""

from __future__ import annotations

from grevin.core.survey.measures.base import Measure
from grevin.core.survey.measures.blocks import Blocks
from grevin.core.survey.measures.borders import Borders
from grevin.core.survey.measures.carried import Carried
from grevin.core.survey.measures.change import ChangeMeasure
from grevin.core.survey.measures.colour_lines import ColourLines
from grevin.core.survey.measures.colour_shift import ColourShift
from grevin.core.survey.measures.colour_smear import ColourSmear
from grevin.core.survey.measures.combing import Combing
from grevin.core.survey.measures.detail import Detail
from grevin.core.survey.measures.dirt import DirtCount
from grevin.core.survey.measures.dropouts import DropoutCount
from grevin.core.survey.measures.fields import FieldChange
from grevin.core.survey.measures.levels import Levels
from grevin.core.survey.measures.light import Light
from grevin.core.survey.measures.light_of_fields import LightOfFields
from grevin.core.survey.measures.line_jitter import LineJitter
from grevin.core.survey.measures.motion import Motion
from grevin.core.survey.measures.noise import Noise
from grevin.core.survey.measures.repeated_lines import RepeatedLines
from grevin.core.survey.measures.scratches import Scratches
from grevin.core.survey.measures.wobble import Wobble

MEASURES: tuple[Measure, ...] = (
    Levels(), Light(), LightOfFields(), Detail(), Carried(), Noise(), Motion(), ChangeMeasure(), FieldChange(),
    Combing(), Blocks(), RepeatedLines(), ColourShift(), ColourLines(), ColourSmear(), LineJitter(), Wobble(),
    Borders(), DirtCount(), Scratches(), DropoutCount(),
)  # fmt: skip
