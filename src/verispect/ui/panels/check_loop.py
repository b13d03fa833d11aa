"""Are both things sharp? Four answers at full magnification, and each time the next thing to do."""

from __future__ import annotations

from PyQt6.QtWidgets import QGridLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from verispect.plan.methods.candidate import Candidate
from verispect.sentence import capital
from verispect.ui.controls.translate import say

# Letters of a name on a button.
_LONGEST_NAME = 24


class CheckLoopPage(QWidget):
    """Leads through the loop of the frame on the board; what was answered is forgotten when the numbers change."""

    def __init__(self) -> None:
        super().__init__()
        self.task = QLabel()
        self.task.setWordWrap(True)
        self.question = QLabel()
        self.question.setWordWrap(True)
        self.buttons = {
            (True, True): QPushButton(self.tr("&Both are sharp")),
            (False, True): QPushButton(),
            (True, False): QPushButton(),
            (False, False): QPushButton(self.tr("Both are s&oft")),
        }
        self.again = QPushButton(self.tr("Begin &again"))
        self.again.clicked.connect(self._begin)
        answers = QGridLayout()
        for place, (answer, button) in enumerate(self.buttons.items()):
            button.setMinimumHeight(44)
            button.clicked.connect(lambda _on, answer=answer: self.answer(*answer))
            answers.addWidget(button, place // 2, place % 2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 0)
        layout.addWidget(self.task)
        layout.addWidget(self.question)
        layout.addLayout(answers)
        layout.addWidget(self.again)
        layout.addStretch(1)
        self.show_candidate(None)

    def show_candidate(self, candidate: Candidate | None) -> None:
        """Take on a method; of more than one frame it says that there is nothing to ask."""
        # Not needed before the first weighing has come in.
        from verispect.plan.setting.by_eye.check_loop import check_loop

        self._loop = None if candidate is None else check_loop(candidate)
        self._begin()

    def _begin(self) -> None:
        self._turn = None if self._loop is None else self._loop.begin()
        self._write()

    def answer(self, near_sharp: bool, far_sharp: bool) -> None:
        """What the eye saw."""
        if self._loop is not None and self._turn is not None:
            self._turn = self._loop.answered(self._turn, near_sharp=near_sharp, far_sharp=far_sharp)
            self._write()

    def _write(self) -> None:
        from verispect.plan.setting.by_eye.check_loop import Act

        loop, turn = self._loop, self._turn
        if loop is None or turn is None:
            self.task.setText(self.tr("One frame over something near and something far is led through here."))
        else:
            self.task.setText(" ".join(f"{capital(say(line))}." for line in loop.says(turn)))
        open_ = turn is not None and turn.act not in (Act.DONE, Act.GIVE_UP)
        self.question.setVisible(open_)
        if loop is not None:
            # By name: of a tilted lens what wants a nearer focus need not be the nearer thing.
            self.question.setText(self.tr("Magnify fully: {0}, then {1}. What is sharp?").format(loop.near, loop.far))
            for answer, name in (((False, True), loop.near), ((True, False), loop.far)):
                self.buttons[answer].setText(self.tr("{0} is soft").format(name[:_LONGEST_NAME].replace("&", "&&")))
        for button in self.buttons.values():
            button.setEnabled(open_)
            button.setVisible(loop is not None)
        self.again.setVisible(turn is not None and turn.asked > 0)
