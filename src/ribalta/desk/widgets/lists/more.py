"""What is pressed rarely, behind one button: a menu of other buttons, with their words and what they explain."""

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu, QPushButton, QWidget

from ribalta.desk.widgets.fields import button


class More(QWidget):
    """The buttons live here, unseen; those that cannot be pressed now are grey in the menu, too."""

    def __init__(self, *buttons: QPushButton | None) -> None:
        super().__init__()
        self._buttons = buttons
        for made in buttons:
            if made is not None:
                made.setParent(self)
                made.hide()
        self.press = button("More …", self._open, "What is done rarely")
        self.press.setParent(self)
        self.press.move(0, 0)
        self.setFixedSize(self.press.sizeHint())

    def _open(self) -> None:
        self.open_menu()

    def open_menu(self) -> QMenu:
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        for made in self._buttons:
            if made is None:
                menu.addSeparator()
                continue
            action = menu.addAction(made.text())
            action.setToolTip(made.toolTip())
            action.setEnabled(made.isEnabled())
            action.triggered.connect(lambda _=False, made=made: made.click())
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(self.mapToGlobal(QPoint(0, self.height())))
        return menu
