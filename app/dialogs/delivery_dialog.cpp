#include "app/dialogs/delivery_dialog.h"

#include "app/studio.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "core/base/error.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>
#include <QToolButton>

namespace ilumbra {

DeliveryDialog::DeliveryDialog(const Document& doc, const QString& path, const QString& folder, QWidget* parent)
    : QDialog(parent), m_doc(doc), m_path(path), m_job(Job::of(doc)) {
  setWindowTitle(tr("Render and write"));
  setMinimumWidth(560);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 16, 20, 16);
  auto* head = new QLabel(windowTitle(), this);
  head->setFont(theme::font(15, 700));
  column->addWidget(head);
  auto* form = new QFormLayout;
  form->setHorizontalSpacing(16);
  column->addLayout(form);
  const auto& params = deliveryKind().params;
  for (const ParamDef& d : params)
    if (d.major && d.name != "output") addRow(d, form);

  auto* kinds = new QHBoxLayout;
  const QStringList last =
      QSettings().value(QStringLiteral("delivery/kinds"), QStringList{QStringLiteral("webm")}).toStringList();
  for (const auto& [extension, label, help] :
       {std::tuple{QStringLiteral("webm"), tr("WebM"), tr("A movie as it is shown, small, for browsers and mail")},
        {QStringLiteral("mkv"), tr("Matroska"), tr("A movie as it is shown, without loss (FFV1)")},
        {QStringLiteral("exr"), tr("OpenEXR"), tr("A file a frame in scene light, with the passes asked for")},
        {QStringLiteral("png"), tr("PNG"), tr("A file a frame as it is shown")}}) {
    auto* box = new QCheckBox(label, this);
    box->setObjectName(extension);
    box->setToolTip(help);
    box->setChecked(last.contains(extension));
    connect(box, &QCheckBox::toggled, this, &DeliveryDialog::read);
    kinds->addWidget(box);
    m_kinds.emplace_back(extension, box);
  }
  kinds->addStretch(1);
  form->addRow(tr("Written as"), kinds);
  m_folder = new QLineEdit(folder, this);
  m_folder->setObjectName(QStringLiteral("folder"));
  auto* choose = new QPushButton(tr("Choose…"), this);
  choose->setAutoDefault(false);
  connect(choose, &QPushButton::clicked, this, [this] {
    const QString f = QFileDialog::getExistingDirectory(this, tr("Where the frames go"), m_folder->text());
    if (!f.isEmpty()) m_folder->setText(f);
  });
  auto* where = new QHBoxLayout;
  where->addWidget(m_folder, 1);
  where->addWidget(choose);
  form->addRow(tr("Folder"), where);
  m_name = new QLineEdit(QStringLiteral("{name}"), this);
  m_name->setObjectName(QStringLiteral("name"));
  QStringList tokens;
  for (const auto& [token, what] : nameTokens()) tokens << QStringLiteral("%1 %2").arg(qs(token), qs(what));
  m_name->setToolTip(tr("Filled in: %1").arg(tokens.join(QStringLiteral(", "))));
  form->addRow(tr("Name"), m_name);
  m_preview = new QLabel(this);
  m_preview->setObjectName(QStringLiteral("preview"));
  m_preview->setWordWrap(true);
  m_preview->setStyleSheet(QStringLiteral("color: #9a968f"));
  form->addRow(QString(), m_preview);
  for (const QLineEdit* e : {m_folder, m_name}) connect(e, &QLineEdit::textChanged, this, &DeliveryDialog::read);

  m_fold = flatButton(this, tr("more"), tr("Size, samples, codec and the rest"), "accent");
  connect(m_fold, &QToolButton::clicked, this, [this] {
    m_more = !m_more;
    showRows();
  });
  form->addRow(QString(), m_fold);
  for (const ParamDef& d : params)
    if (!d.major && d.name != "output") addRow(d, form);
  m_trouble = new QLabel(this);
  m_trouble->setObjectName(QStringLiteral("trouble"));
  m_trouble->setWordWrap(true);
  m_trouble->setStyleSheet(QStringLiteral("color: %1").arg(theme::rose.name()));
  column->addWidget(m_trouble);
  column->addStretch(1);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
  m_later = buttons->addButton(tr("Into the queue"), QDialogButtonBox::ActionRole);
  m_later->setToolTip(tr("It waits there until the queue is started"));
  m_take = buttons->addButton(tr("Start"), QDialogButtonBox::AcceptRole);
  m_take->setDefault(true);
  const auto take = [this](bool start) {
    m_start = start;
    QStringList chosen;
    for (const auto& [extension, box] : m_kinds)
      if (box->isChecked()) chosen << extension;
    QSettings().setValue(QStringLiteral("delivery/kinds"), chosen);
    accept();
  };
  connect(buttons, &QDialogButtonBox::accepted, this, [take] { take(true); });
  connect(m_later, &QPushButton::clicked, this, [take] { take(false); });
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  column->addWidget(buttons);
  read();
  m_take->setFocus();
}

void DeliveryDialog::addRow(const ParamDef& d, QFormLayout* to) {
  Row row{&d, nullptr, nullptr, {}};
  const QString now = qs(m_job.textOf(d.name));
  if (d.type == ParamType::Choice) {
    auto* box = new QComboBox(this);
    for (const std::string& c : d.choices) box->addItem(qs(c));
    box->setCurrentText(now);
    connect(box, &QComboBox::currentTextChanged, this, &DeliveryDialog::read);
    row.text = [box] { return box->currentText(); };
    row.field = box;
  } else if (d.type == ParamType::Flag) {
    auto* box = new QCheckBox(this);
    box->setChecked(m_job.params().flag(d.name));
    connect(box, &QCheckBox::toggled, this, &DeliveryDialog::read);
    row.text = [box] { return box->isChecked() ? QStringLiteral("on") : QStringLiteral("off"); };
    row.field = box;
  } else {
    const bool open =
        d.type != ParamType::Text && Constant(m_job.params().constant(d.name)) == d.initial && !d.ifZero.empty();
    auto* field = new QLineEdit(open || now == QStringLiteral("-1") || d.name == "noise" ? QString() : now, this);
    field->setPlaceholderText(!d.ifZero.empty()           ? qs(d.ifZero)
                              : d.type != ParamType::Text ? tr("as the document says")
                                                          : tr("none"));
    if (d.name == "passes") field->setPlaceholderText(tr("none; all, or names with commas"));
    if (d.name == "camera") field->setPlaceholderText(tr("as the document says"));
    if (d.name == "region") field->setPlaceholderText(tr("the whole picture"));
    connect(field, &QLineEdit::textChanged, this, &DeliveryDialog::read);
    row.text = [field] { return field->text(); };
    row.field = field;
  }
  row.field->setObjectName(qs(d.name));
  row.field->setToolTip(qs(d.helpText));
  row.label = new QLabel(qs(d.label), this);
  row.label->setToolTip(qs(d.helpText));
  to->addRow(row.label, row.field);
  m_rows.push_back(std::move(row));
}

// The job that stands there, and what is wrong with it.
void DeliveryDialog::read() {
  if (!m_take) return; // not all is there yet
  QString trouble;
  Job job = Job::of(m_doc);
  try {
    for (const Row& r : m_rows)
      if (const QString text = r.text(); !text.trimmed().isEmpty()) job.setText(r.def->name, text.toStdString());
    m_job = job;
    QStringList names;
    const bool still = !job.plays();
    // What is no movie is a PNG, if nothing else was asked for.
    const auto writes = [](const auto& kind) {
      return kind.second->isChecked() && !isMovieName("x." + kind.first.toStdString());
    };
    if (still && std::none_of(m_kinds.begin(), m_kinds.end(), writes))
      for (const auto& [extension, box] : m_kinds)
        if (extension == QStringLiteral("png")) {
          const QSignalBlocker quiet(box);
          box->setChecked(true);
        }
    for (const auto& [extension, box] : m_kinds) {
      const bool movie = isMovieName("x." + extension.toStdString());
      box->setEnabled(!(still && movie));
      if (!box->isChecked() || (still && movie)) continue;
      names << QStringLiteral("%1/%2.%3").arg(m_folder->text(), m_name->text(), extension);
    }
    if (names.isEmpty()) throw badInput(tr("Choose what it is written as").toStdString());
    job.set("output", names.join(QStringLiteral("; ")).toStdString());
    job.check();
    const Document rendered = documentFor(m_doc, job);
    const std::string document = m_path.isEmpty() ? "Untitled" : m_path.toStdString();
    const std::vector<double> frames = job.frames();
    QStringList made;
    for (const std::string& n : job.outputs()) {
      const QString first = QFileInfo(qs(fileName(n, rendered, job, document, frames.front()))).fileName(),
                    end = QFileInfo(qs(fileName(n, rendered, job, document, frames.back()))).fileName();
      made << (first == end ? first : tr("%1 to %2").arg(first, end));
    }
    const Params s = settingsOf(rendered);
    m_preview->setText(tr("%1\n%n frame(s) of %2 × %3 pixels, %4 samples", nullptr, int(frames.size()))
                           .arg(made.join(QStringLiteral(", ")))
                           .arg(s.number("width"))
                           .arg(s.number("height"))
                           .arg(s.number("samples")));
    m_job = job;
  } catch (const Error& e) {
    trouble = QString::fromUtf8(e.what());
  }
  m_trouble->setText(trouble);
  m_take->setEnabled(trouble.isEmpty());
  m_later->setEnabled(trouble.isEmpty());
  showRows();
}

void DeliveryDialog::showRows() {
  const Node& node = m_job.params().node();
  for (const Row& r : m_rows) {
    const bool shown = (r.def->major || m_more) && counts(node, *r.def, 0);
    r.label->setVisible(shown);
    r.field->setVisible(shown);
  }
  m_fold->setText(m_more ? tr("less") : tr("more"));
  adjustSize();
}

} // namespace ilumbra
