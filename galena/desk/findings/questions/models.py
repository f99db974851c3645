"""Models as questions of a span: each shipped one, and any that is typed."""

from galena.core import fits
from galena.desk.findings.questions.fitted import TYPED, fitted
from galena.desk.findings.questions.influences import of_fit
from galena.desk.findings.questions.inputs import Input, words
from galena.desk.findings.questions.question import Question

NO_FORMULA = "Type the model as a formula of x, for example a*exp(-x/b) + c."

FITTED = (
    *(
        Question(key, model.label, "span", model.formula, fitted(key), influence=of_fit)
        for key, model in fits.MODELS.items()
    ),
    Question(
        TYPED, "model", "span", "a formula of x", fitted(TYPED), influence=of_fit,
        inputs=(Input("formula", "own", words(NO_FORMULA), look="formula"),),
    ),
)  # fmt: skip
