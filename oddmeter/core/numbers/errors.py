"""The error every rule of the core raises: one sentence for the person, data for the machine."""


class RuleError(ValueError):
    """Something asked for breaks a rule of the job.

    ``str(error)`` is one plain sentence that can be shown as it stands; ``code`` is a short stable word for
    programs, such as ``"rate"`` or ``"timecode"``.
    """

    def __init__(self, sentence: str, code: str = "rule") -> None:
        super().__init__(sentence)
        self.code = code
