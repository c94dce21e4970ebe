#pragma once

class QCoreApplication;

namespace ilumbra {

/// Loads the words of the window in the person's language, or else in English, where they are numbers of things: "1
/// sample", "2 samples". app/translations has a file a language, made by lupdate (English: -pluralonly). Parameter
/// addresses, kinds and files are never translated.
void loadTranslation(QCoreApplication& app);

} // namespace ilumbra
