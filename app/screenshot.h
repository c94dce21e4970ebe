#pragma once
#include <QString>
#include <QStringList>

namespace ilumbra {

class MainWindow;

/// What is done before a picture of the window is taken: "--do ID", "--set ASSIGNMENT" and "--then-select NAME" of a
/// command line, in their order.
using ScreenshotSteps = std::vector<std::pair<QString, QString>>;
ScreenshotSteps screenshotSteps(const QStringList& arguments);

/// Takes a picture of the window after some seconds, the second half of which is shared out among the steps and the
/// picture; each waits for the render of the one before, two minutes at most. Then the application exits: 0, or 4 where
/// the file cannot be written, which is told on stderr.
void takeScreenshot(MainWindow& window, const QString& file, double seconds, ScreenshotSteps steps);

} // namespace ilumbra
