#include "app/dialogs/import_dialog.h"

#include "app/panels/number_row.h"
#include "app/theme.h"
#include "core/base/error.h"
#include "core/document/units.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFileInfo>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QLocale>
#include <QPushButton>
#include <QVBoxLayout>

namespace ilumbra {
namespace {

const ParamDef& lengthDef() {
  static const ParamDef d = number("unit", "Unit", "m", 1);
  return d;
}

QString lengthText(double metres) { return qs(formatNumber(lengthDef(), metres)); }

} // namespace

bool ImportDialog::asks(const ModelSurvey& s) { return s.unit <= 0 || s.motions.size() > 1 || s.numbered > 1; }

ImportDialog::ImportDialog(const QString& path, const ModelSurvey& survey, QWidget* parent)
    : QDialog(parent), m_survey(survey) {
  setWindowTitle(tr("Import %1").arg(QFileInfo(path).fileName()));
  auto* column = new QVBoxLayout(this);
  QStringList holds{tr("%n part(s)", nullptr, int(survey.parts)), tr("%n triangle(s)", nullptr, int(survey.triangles)),
                    tr("%n material(s)", nullptr, int(survey.materials))};
  if (survey.lights) holds << tr("%n light(s)", nullptr, int(survey.lights));
  auto* about = new QLabel(holds.join(QStringLiteral(" · ")), this);
  about->setStyleSheet(QStringLiteral("color: #9a968f"));
  column->addWidget(about);
  auto* form = new QFormLayout;
  column->addLayout(form);

  m_unit = new QComboBox(this);
  m_unit->setObjectName(QStringLiteral("unit"));
  if (survey.unit > 0) m_unit->addItem(tr("as the file states: %1").arg(lengthText(survey.unit)), 0.0);
  for (const auto& [label, metres] : {std::pair{tr("metre"), 1.0},
                                      {tr("centimetre"), 0.01},
                                      {tr("millimetre"), 0.001},
                                      {tr("inch"), 0.0254},
                                      {tr("foot"), 0.3048}})
    m_unit->addItem(label, metres);
  m_unit->addItem(tr("other"), -1.0);
  m_unit->setToolTip(tr("What one unit of the file is"));
  m_length = new QLineEdit(QStringLiteral("1 m"), this);
  m_length->setObjectName(QStringLiteral("length"));
  m_length->setToolTip(tr("A length with its unit, such as 2.54 cm"));
  auto* unitRow = new QHBoxLayout;
  unitRow->addWidget(m_unit, 1);
  unitRow->addWidget(m_length, 1);
  form->addRow(tr("One unit is a"), unitRow);
  m_size = new QLabel(this);
  m_size->setObjectName(QStringLiteral("size"));
  form->addRow(tr("It comes out"), m_size);
  m_up = new QComboBox(this);
  m_up->setObjectName(QStringLiteral("up"));
  m_up->addItem(tr("Y"), int(ImportOptions::Up::Y));
  m_up->addItem(tr("Z"), int(ImportOptions::Up::Z));
  m_up->setCurrentIndex(survey.zUp ? 1 : 0);
  form->addRow(tr("Its axis upwards"), m_up);
  if (!survey.motions.empty()) {
    m_motion = new QComboBox(this);
    m_motion->setObjectName(QStringLiteral("motion"));
    for (const std::string& m : survey.motions) m_motion->addItem(qs(m));
    form->addRow(tr("Motion that plays"), m_motion);
  }
  if (survey.numbered > 1) {
    m_numbered = new QCheckBox(tr("%n numbered file(s) are one moving object", nullptr, int(survey.numbered)), this);
    m_numbered->setObjectName(QStringLiteral("numbered"));
    form->addRow(QString(), m_numbered);
  }
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
  QPushButton* take = buttons->addButton(tr("Import"), QDialogButtonBox::AcceptRole);
  take->setDefault(true);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  column->addWidget(buttons);
  connect(m_unit, &QComboBox::currentIndexChanged, this, &ImportDialog::show);
  connect(m_up, &QComboBox::currentIndexChanged, this, &ImportDialog::show);
  connect(m_length, &QLineEdit::textChanged, this, &ImportDialog::show);
  connect(this, &ImportDialog::finished, this, &QObject::deleteLater);
  show();
}

double ImportDialog::unit() const {
  const double chosen = m_unit->currentData().toDouble();
  if (chosen >= 0) return chosen;
  try {
    const double typed = parseNumber(lengthDef(), m_length->text().toStdString());
    return typed > 0 && typed <= 1e6 ? typed : -1;
  } catch (const Error&) {
    return -1;
  }
}

void ImportDialog::show() {
  m_length->setVisible(m_unit->currentData().toDouble() < 0);
  const double u = unit(), metres = u > 0 ? u : m_survey.unit;
  if (u < 0 || !(metres > 0)) {
    m_size->setText(tr("a length above 0 is wanted, such as 2.54 cm"));
    return;
  }
  const bool z = m_up->currentIndex() == 1;
  const V3f& s = m_survey.size;
  m_size->setText(tr("%1 wide, %2 high, %3 deep")
                      .arg(lengthText(metres * double(s.x)), lengthText(metres * double(z ? s.z : s.y)),
                           lengthText(metres * double(z ? s.y : s.z))));
}

ImportOptions ImportDialog::options() const {
  ImportOptions o;
  o.unit = std::max(0.0, unit());
  o.up = ImportOptions::Up(m_up->currentData().toInt());
  if (m_motion && m_motion->currentIndex() > 0) o.motion = m_motion->currentText().toStdString();
  o.numbered = m_numbered && m_numbered->isChecked();
  return o;
}

void showReport(const QString& title, const QStringList& lines, QWidget* parent) {
  auto* d = new QDialog(parent);
  d->setAttribute(Qt::WA_DeleteOnClose);
  d->setObjectName(QStringLiteral("report"));
  d->setWindowTitle(title);
  auto* column = new QVBoxLayout(d);
  auto* list = new QListWidget(d);
  list->setWordWrap(true);
  list->setSelectionMode(QAbstractItemView::NoSelection);
  for (const QString& l : lines) list->addItem(l.left(1).toUpper() + l.mid(1));
  column->addWidget(list);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, d);
  QObject::connect(buttons, &QDialogButtonBox::rejected, d, &QDialog::close);
  column->addWidget(buttons);
  d->resize(520, 260);
  d->show();
}

} // namespace ilumbra
