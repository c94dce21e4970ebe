#include "app/dialogs/solve_dialog.h"

#include "core/base/error.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPointer>
#include <QPushButton>
#include <QVBoxLayout>

namespace ilumbra {

SolveDialog::SolveDialog(Studio& studio, NodeId thing, QWidget* parent)
    : QDialog(parent), m_studio(studio), m_thing(thing), m_doc(studio.doc()), m_all(goalsFor(studio.doc(), thing)) {
  const Node* n = m_doc.find(thing);
  setWindowTitle(tr("What is wanted of %1?").arg(n ? qs(n->name) : QString()));
  auto* column = new QVBoxLayout(this);
  auto* about = new QLabel(
      tr("Say what is to be seen. The parameter that does it is found, and shown before it is taken."), this);
  about->setStyleSheet(QStringLiteral("color: #9a968f"));
  about->setWordWrap(true);
  column->addWidget(about);
  auto* form = new QFormLayout;
  m_goals = new QComboBox(this);
  m_goals->setAccessibleName(tr("Goal"));
  static const std::map<Goal::What, const char*> words = {
      {Goal::What::StopsAboveWhite, QT_TR_NOOP("Its brightest, above white")},
      {Goal::What::ShareThrough, QT_TR_NOOP("So much gets through")},
      {Goal::What::HalfThrough, QT_TR_NOOP("Half gets through at a thickness of")},
      {Goal::What::MirroredShare, QT_TR_NOOP("So much is mirrored")},
      {Goal::What::FocusOn, QT_TR_NOOP("It is in focus")},
      {Goal::What::HaloHalfWidth, QT_TR_NOOP("The halo is half as strong at")},
      {Goal::What::CoreOverSurround, QT_TR_NOOP("The core stands above its surround by")}};
  for (const Goal::What w : m_all) m_goals->addItem(tr(words.at(w)));
  m_value = new QLineEdit(this);
  m_value->setAccessibleName(tr("Value"));
  m_now = new QLabel(this);
  m_now->setStyleSheet(QStringLiteral("color: #b5b0a7"));
  form->addRow(tr("Wanted"), m_goals);
  form->addRow(tr("Value"), m_value);
  form->addRow(tr("Now"), m_now);
  column->addLayout(form);
  m_answer = new QLabel(this);
  m_answer->setWordWrap(true);
  m_answer->setMinimumHeight(48);
  m_answer->setAlignment(Qt::AlignLeft | Qt::AlignTop);
  column->addWidget(m_answer);
  auto* buttons = new QDialogButtonBox(this);
  m_find = buttons->addButton(tr("Find it"), QDialogButtonBox::ActionRole);
  m_take = buttons->addButton(tr("Take it"), QDialogButtonBox::AcceptRole);
  buttons->addButton(tr("Leave"), QDialogButtonBox::RejectRole);
  column->addWidget(buttons);
  m_take->setEnabled(false);
  m_find->setDefault(true);
  connect(m_find, &QPushButton::clicked, this, &SolveDialog::solve);
  connect(m_take, &QPushButton::clicked, this, &SolveDialog::take);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  connect(m_goals, &QComboBox::currentIndexChanged, this, [this] { showGoal(); });
  connect(m_value, &QLineEdit::textEdited, this, [this] {
    m_found.reset();
    m_take->setEnabled(false);
    m_answer->clear();
    m_find->setDefault(true);
  });
  resize(460, 260);
  showGoal();
  (m_value->isEnabled() ? static_cast<QWidget*>(m_value) : m_goals)->setFocus();
}

SolveDialog::~SolveDialog() { m_cancel->request(); }

Goal SolveDialog::goal() const {
  Goal g{.what = m_all[size_t(std::max(0, m_goals->currentIndex()))], .of = m_thing};
  if (g.what != Goal::What::FocusOn) g.value = parseGoal(g.what, m_doc, m_value->text().toStdString());
  return g;
}

void SolveDialog::showGoal() {
  m_found.reset();
  m_take->setEnabled(false);
  m_answer->clear();
  if (m_all.empty()) {
    m_answer->setText(tr("Select an effect, or a thing that is to be in focus."));
    m_find->setEnabled(false);
    return;
  }
  const Goal::What what = m_all[size_t(std::max(0, m_goals->currentIndex()))];
  m_value->setEnabled(what != Goal::What::FocusOn);
  m_value->setPlaceholderText(what == Goal::What::FocusOn ? tr("nothing to type") : QString::fromUtf8(goalUnit(what)));
  if (what == Goal::What::FocusOn) m_value->clear();
  m_now->setText(tr("is being measured"));
  measure();
}

void SolveDialog::measure() {
  const uint64_t asked = ++m_asked;
  const Goal::What what = m_all[size_t(std::max(0, m_goals->currentIndex()))];
  m_studio.background(tr("Measuring"),
                      [self = QPointer<SolveDialog>(this), asked, what, thing = m_thing, doc = m_doc,
                       assets = m_studio.sharedAssets(),
                       cancel = m_cancel](const CancelFlag& leave) -> std::function<void()> {
                        std::string now;
                        double value = 0;
                        const Tasks tasks(0, true);
                        try {
                          if (!leave.requested())
                            value = ilumbra::measure(doc, {.what = what, .of = thing},
                                                     {.assets = *assets, .tasks = tasks, .cancel = cancel.get()});
                          now = goalText(what, value);
                        } catch (const Error& e) {
                          now = e.what();
                        }
                        return [self, asked, now] {
                          if (!self || self->m_asked != asked) return;
                          self->m_now->setText(QString::fromStdString(now));
                                        };
                      },
                      {.lane = QStringLiteral("solve"), .waits = true, .matters = false, .told = false});
}

void SolveDialog::solve() {
  if (m_all.empty()) return;
  Goal g;
  try {
    g = goal();
  } catch (const std::exception& e) {
    m_answer->setText(QString::fromUtf8(e.what()));
    return;
  }
  m_found.reset();
  m_find->setEnabled(false);
  m_answer->setText(tr("Looking for it…"));
  const uint64_t asked = ++m_asked;
  m_studio.background(
      tr("Solving"),
      [self = QPointer<SolveDialog>(this), asked, g, doc = m_doc, assets = m_studio.sharedAssets(),
       send = m_studio.sender(), cancel = m_cancel](const CancelFlag&) -> std::function<void()> {
        Solution s;
        const Tasks tasks(0, true);
        try {
          s = ilumbra::solve(
              doc, g, {.assets = *assets, .tasks = tasks, .cancel = cancel.get(), .progress = [&](double share) {
                         send([self, asked, share] {
                           if (self && self->m_asked == asked)
                             self->m_answer->setText(SolveDialog::tr("Looking for it… %1 %").arg(int(100 * share)));
                         });
                       }});
        } catch (const Error& e) {
          s.why = e.what();
        }
        return [self, asked, g, s] {
          if (!self || self->m_asked != asked) return;
          self->m_find->setEnabled(true);
          self->m_found = s;
          const bool any = !s.sets.empty();
          self->m_answer->setText(
              any ? SolveDialog::tr("%1\n%2 then")
                        .arg(QString::fromStdString(s.text), QString::fromStdString(goalText(g.what, s.reached)))
                  : SolveDialog::tr("It is not reached: %1").arg(QString::fromStdString(s.why)));
          self->m_answer->setStyleSheet(any ? QString() : QStringLiteral("color: #e3a24a"));
          self->m_take->setEnabled(any);
          if (any) self->m_take->setDefault(true);
        };
      },
      {.lane = QStringLiteral("solve"), .waits = true, .matters = false, .told = false});
}

void SolveDialog::take() {
  if (!m_found || m_found->sets.empty()) return;
  const Solution s = *m_found;
  if (m_studio.edit(tr("Solve: %1").arg(qs(s.text)), [&](const Document& d) { return applySolution(d, s); })) accept();
}

} // namespace ilumbra
