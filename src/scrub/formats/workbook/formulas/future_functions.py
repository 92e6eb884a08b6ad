"""Functions that are newer than the standard: a file names them with a prefix (MS-XLSX, 2.2.2), people do not."""

from __future__ import annotations

import re

from scrub.model.core.lazy_pattern import lazy_pattern

_NAMES = frozenset((
    "ACOT ACOTH AGGREGATE ANCHORARRAY ARABIC ARRAYTOTEXT BASE BETA.DIST BETA.INV BINOM.DIST BINOM.DIST.RANGE "
    "BINOM.INV BITAND BITLSHIFT BITOR BITRSHIFT BITXOR BYCOL BYROW CEILING.MATH CEILING.PRECISE CHISQ.DIST "
    "CHISQ.DIST.RT CHISQ.INV CHISQ.INV.RT CHISQ.TEST CHOOSECOLS CHOOSEROWS COMBINA CONCAT CONFIDENCE.NORM "
    "CONFIDENCE.T COT COTH COVARIANCE.P COVARIANCE.S CSC CSCH DAYS DECIMAL DETECTLANGUAGE DROP ERF.PRECISE "
    "ERFC.PRECISE EXPAND EXPON.DIST F.DIST F.DIST.RT F.INV F.INV.RT F.TEST FIELDVALUE FILTER FILTERXML FLOOR.MATH "
    "FLOOR.PRECISE FORECAST.ETS FORECAST.ETS.CONFINT FORECAST.ETS.SEASONALITY FORECAST.ETS.STAT FORECAST.LINEAR "
    "FORMULATEXT GAMMA GAMMA.DIST GAMMA.INV GAMMALN.PRECISE GAUSS GROUPBY HSTACK HYPGEOM.DIST IFNA IFS IMAGE "
    "IMCOSH IMCOT IMCSC IMCSCH IMSEC IMSECH IMSINH IMTAN ISFORMULA ISOMITTED ISOWEEKNUM LAMBDA LET LOGNORM.DIST "
    "LOGNORM.INV MAKEARRAY MAP MAXIFS MINIFS MODE.MULT MODE.SNGL MUNIT NEGBINOM.DIST NORM.DIST NORM.INV "
    "NORM.S.DIST NORM.S.INV NUMBERVALUE PDURATION PERCENTILE.EXC PERCENTILE.INC PERCENTOF PERCENTRANK.EXC "
    "PERCENTRANK.INC PERMUTATIONA PHI PIVOTBY POISSON.DIST QUARTILE.EXC QUARTILE.INC QUERYSTRING RANDARRAY "
    "RANK.AVG RANK.EQ REDUCE REGEXEXTRACT REGEXREPLACE REGEXTEST RRI SCAN SEC SECH SEQUENCE SHEET SHEETS SINGLE "
    "SKEW.P SORT SORTBY STDEV.P STDEV.S STOCKHISTORY SWITCH T.DIST T.DIST.2T T.DIST.RT T.INV T.INV.2T T.TEST TAKE "
    "TEXTAFTER TEXTBEFORE TEXTJOIN TEXTSPLIT TOCOL TOROW TRANSLATE TRIMRANGE UNICHAR UNICODE UNIQUE VALUETOTEXT "
    "VAR.P VAR.S VSTACK WEBSERVICE WEIBULL.DIST WRAPCOLS WRAPROWS XLOOKUP XMATCH XOR Z.TEST "
).split())  # fmt: skip
#: Of these, the prefix has a second part.
_OF_SHEETS = frozenset(("FILTER", "SORT"))
_PREFIX = "_xlfn."
_FUNCTION = lazy_pattern(r"""("(?:[^"]|"")*"|'(?:[^']|'')*'|\[[^\]]*\])|(?<![\w.])([A-Za-z][A-Za-z0-9.]*)(?=\()""")
_PREFIXED = lazy_pattern(
    r"""("(?:[^"]|"")*"|'(?:[^']|'')*')|(?<![\w.])_xlfn\.(?:_xlws\.)?(?=[A-Za-z])""", re.IGNORECASE
)


def stored_formula(formula: str) -> str:
    """A formula as a file has it."""
    return _FUNCTION.sub(_with_prefix, formula)


def _with_prefix(found: re.Match[str]) -> str:
    name = (found[2] or "").upper()
    if name not in _NAMES:
        return found[0]
    return f"{_PREFIX}_xlws.{found[2]}" if name in _OF_SHEETS else f"{_PREFIX}{found[2]}"


def shown_formula(formula: str) -> str:
    """A formula as people read and write it; one whose own names have a prefix too (LET, LAMBDA) stays as it is."""
    if _PREFIX not in formula.lower() or "_xlpm." in formula.lower():
        return formula
    return _PREFIXED.sub(lambda found: found[1] or "", formula)
