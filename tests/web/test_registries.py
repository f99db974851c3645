"""Nothing that belongs to an experiment is forgotten where it is copied or taken back."""

import pytest
from django.apps import apps

from galena.desk import history
from galena.exchange.parts import APP_PARTS

OWN = tuple(one.label for one in apps.get_app_configs() if one.name.startswith("galena."))
OF_THE_ROOM = {"Person", "Arrival", "Instrument", "PrintingBoard", "KnownPlace", "Channel", "Zero",
               "Calibration", "Take"} | {
    "Lesson", "Task", "Copy", "GivenRun", "Received", "Loan", "ClassQuestion", "TypedAnswer",
    "LeftOut", "Word", "HandIn", "Remark",  # of a class: an experiment goes along without it
}  # fmt: skip
NOT_COPIED = OF_THE_ROOM | {
    "Experiment",  # it is what is copied
    "TypedPlan",  # what a person has half typed stays where it was typed
    "Change",  # a copy begins with nothing to undo
    "Opening",  # of a person, for all experiments
}
NOT_TAKEN_BACK = OF_THE_ROOM | {
    "Experiment",  # archived and duplicated on the list of experiments
    "TypedPlan",  # follows what is typed
    "Change",  # the acts themselves
    "Run",  # removed and restored in the rail
    "ConditionValue",  # described with its run
    "Stream", "Series", "SeriesChunk", "Step", "StepPart", "Scene",  # as they were recorded
    "Harvest", "AnswersTable",  # taken away with their run
    "Report", "Version", "Opening",  # it has versions of its own
    "Clip", "Scale", "SlantedPlane", "Axes", "TrackedObject", "Mark", "Tie",  # marks have their own
    "Guidance",  # a choice, set and unset
}  # fmt: skip


def models():
    return [one for one in apps.get_models() if one._meta.app_label in OWN]


@pytest.mark.parametrize("model", models(), ids=lambda model: model.__name__)
def test_each_model_is_copied_or_named_with_its_reason(model):
    copied = {part.model for app in APP_PARTS for part in app.parts}
    assert (model in copied) != (model.__name__ in NOT_COPIED)


@pytest.mark.parametrize("model", models(), ids=lambda model: model.__name__)
def test_each_model_can_be_taken_back_or_is_named_with_its_reason(model):
    kept = {kind[0] for of in (history.KINDS, history.RENAMED, history.IN_FORCE)
            for kind in of.values()}  # fmt: skip
    assert (model in kept) != (model.__name__ in NOT_TAKEN_BACK)


def test_what_is_copied_comes_after_all_that_it_refers_to():
    seen = set()
    parts = [part.model for app in APP_PARTS for part in app.parts]
    for model in parts:
        wanted = {field.related_model for field in model._meta.concrete_fields
                  if field.related_model in parts and not field.null}  # fmt: skip
        assert wanted <= seen, model
        seen.add(model)
