"""What a document does not hold is said in words of our own, whatever the library behind calls it."""

from __future__ import annotations

from typing import Any

from pydantic_core._pydantic_core import list_all_errors

from texelcore.surface.mistakes import in_words
from texelcore.targets.library import shipped
from texelcore.targets.problems import check_target


def test_no_message_of_the_library_reaches_a_person() -> None:
    for known in list_all_errors():
        kind, message = known["type"], known["message_template_python"]
        if kind in ("value_error", "assertion_error"):
            continue
        said = in_words({"type": kind, "ctx": known.get("example_context"), "msg": message})
        assert said.startswith("it ") and said != message
        assert not any(word in said for word in ("Input", "input", "valid ", "string", "integer", "dictionary", "{", "tuple")), (
            said
        )


def test_rules_of_our_own_say_their_own_sentence() -> None:
    said = "two outputs share a file"
    assert in_words({"type": "value_error", "ctx": {"error": ValueError(f"{said}.")}}) == said
    assert in_words({"type": "value_error", "msg": f"Value error, {said}"}) == said


def broken(**changes: Any) -> str:
    body = shipped()["orbit-desktop"].model_dump(mode="json")
    problems = check_target(body | changes)[1]
    return problems[0].said


def test_a_target_that_is_being_written_says_what_it_lacks() -> None:
    outputs = shipped()["orbit-desktop"].model_dump(mode="json")["outputs"]
    assert broken(outputs=[]) == "outputs: It makes nothing yet: add an output."
    assert broken(outputs=[outputs[0] | {"channels": []}]) == "outputs.0: It has no channel yet: Y, YA, RGB and RGBA make one."
    assert broken(outputs=[outputs[0] | {"quality": 0}]) == "outputs.0.quality: It has to be at least 1."
    assert broken(outputs=[outputs[0] | {"sample": "u9"}]).startswith("outputs.0.sample: It has to be “u8”")
    assert broken(outputs=[outputs[0] | {"quality": 1.5}]) == "outputs.0.quality: It has to be a whole number."
    assert broken(outputs="none") == "outputs: It has to be a list."
