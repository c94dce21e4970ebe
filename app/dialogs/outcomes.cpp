#include "app/dialogs/outcomes.h"

#include "app/drawer/proof_picture.h"
#include "app/theme.h"
#include "core/base/error.h"
#include "core/effects/effect.h"

#include <QApplication>
#include <QDialog>
#include <QGridLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPainter>
#include <QPointer>
#include <QPushButton>

namespace ilumbra {
namespace {

constexpr int pictureWidth = 300;
constexpr uint32_t samples = 6;

// A picture with its label and what it does below; the one with the focus has a line under it.
class PicturedAnswer : public QPushButton {
 public:
  PicturedAnswer(const Outcome& o, int pictureHeight, QWidget* parent)
      : QPushButton(o.label, parent), m_does(o.does), m_high(pictureHeight) {
    setObjectName(o.label);
    setAccessibleName(o.label);
    setAccessibleDescription(o.does);
    setAutoDefault(false);
    setFixedSize(pictureWidth, m_high + 66);
    setCursor(Qt::PointingHandCursor);
  }
  void show(const QImage& picture) {
    m_picture = picture;
    update();
  }
  void fail(const QString& why) {
    m_failed = why;
    update();
  }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    const QRect frame(0, 0, width(), m_high);
    p.fillRect(frame, QColor(0x0c, 0x0c, 0x0c));
    p.setFont(theme::font(12));
    p.setPen(theme::dim);
    if (m_picture.isNull())
      p.drawText(frame.adjusted(12, 0, -12, 0), Qt::AlignCenter | Qt::TextWordWrap,
                 m_failed.isEmpty() ? QObject::tr("On its way…") : m_failed);
    else
      p.drawImage(frame, m_picture);
    if (hasFocus() || underMouse()) p.fillRect(QRect(0, m_high, width(), 2), theme::accent);
    p.setFont(theme::font(13, 600));
    p.setPen(hasFocus() ? theme::accent : theme::text);
    p.drawText(QRect(0, m_high + 6, width(), 22), Qt::AlignLeft | Qt::AlignVCenter, text());
    p.setFont(theme::font(12));
    p.setPen(theme::dim);
    p.drawText(QRect(0, m_high + 28, width(), 36), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, m_does);
  }
  void keyPressEvent(QKeyEvent* e) override {
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) return click();
    if (e->key() == Qt::Key_Right || e->key() == Qt::Key_Left) {
      focusNextPrevChild(e->key() == Qt::Key_Right);
      return;
    }
    QPushButton::keyPressEvent(e);
  }

 private:
  QString m_does, m_failed;
  QImage m_picture;
  int m_high;
};

} // namespace

int askByPictures(QWidget* parent, Studio& studio, const QString& title, const QString& text,
                  const std::vector<Outcome>& outcomes) {
  QDialog d(parent);
  d.setWindowTitle(title);
  d.setObjectName(QStringLiteral("outcomes"));
  auto* grid = new QGridLayout(&d);
  grid->setContentsMargins(20, 16, 20, 16);
  grid->setHorizontalSpacing(16);
  auto* head = new QLabel(title, &d);
  head->setFont(theme::font(15, 700));
  grid->addWidget(head, 0, 0, 1, int(outcomes.size()));
  auto* body = new QLabel(text, &d);
  body->setWordWrap(true);
  body->setStyleSheet(QStringLiteral("color: #b5b0a7"));
  grid->addWidget(body, 1, 0, 1, int(outcomes.size()));
  const Params s = settingsOf(studio.doc());
  const int high = std::clamp(int(pictureWidth * s.number("height") / s.number("width")), 40, 420);
  int chosen = -1;
  std::vector<QPointer<PicturedAnswer>> answers;
  for (size_t i = 0; i < outcomes.size(); ++i) {
    auto* b = new PicturedAnswer(outcomes[i], high, &d);
    QObject::connect(b, &QPushButton::clicked, &d, [&d, &chosen, i] {
      chosen = int(i);
      d.accept();
    });
    grid->addWidget(b, 2, int(i));
    answers.push_back(b);
    if (i == 0) b->setFocus();
  }
  // One after the other: each takes all threads. What is left when one is chosen is not rendered any more.
  const auto left = std::make_shared<CancelFlag>();
  static uint64_t asked = 0;
  studio.background(QObject::tr("Rendering what would come of it"),
                    [outcomes, answers, high, left, frame = studio.frame(), views = studio.sharedViews(),
                     assets = studio.assets()](const CancelFlag& cancel) mutable -> std::function<void()> {
                      for (size_t i = 0; i < outcomes.size() && !left->requested(); ++i) {
                        QImage image;
                        QString failed;
                        try {
                          Document doc = outcomes[i].doc;
                          doc = setValue(doc, doc.settings().id, "width", Constant(double(pictureWidth)));
                          doc = setValue(doc, doc.settings().id, "height", Constant(double(high)));
                          doc = setValue(doc, doc.settings().id, "denoise", Constant(true));
                          Proof proof;
                          proof.doc = doc;
                          proof.frame = frame;
                          const Picture picture = renderProof(proof, samples, assets, cancel);
                          image = proofPicture(makeProof(0, "", doc, frame, picture, samples, 0), *views, pictureWidth);
                        } catch (const Error& e) {
                          if (e.kind() == ErrorKind::Cancelled) throw;
                          failed = qs(std::string_view(e.what()));
                        }
                        QMetaObject::invokeMethod(
                            qApp,
                            [answer = answers[i], image, failed] {
                              if (!answer) return;
                              if (image.isNull())
                                answer->fail(failed);
                              else
                                answer->show(image);
                            },
                            Qt::QueuedConnection);
                      }
                      return {};
                    },
                    {.lane = QStringLiteral("outcomes %1").arg(++asked), .matters = false, .told = false});
  const bool taken = d.exec() == QDialog::Accepted;
  left->request();
  return taken ? chosen : -1;
}

void dropOn(QWidget* parent, Studio& studio, const std::vector<NodeId>& things, NodeId onto) {
  const Document& doc = studio.doc();
  const Node *thing = things.size() == 1 ? doc.find(things.front()) : nullptr, *on = doc.find(onto);
  if (!on || !thing || thing == on)
    return studio.tell(QObject::tr("Drop one effect or one material onto an object"), true);
  if (thing->kind->family() == "material" && on->kind->param("material")) {
    studio.edit(QObject::tr("%1 wears %2").arg(qs(on->name), qs(thing->name)), [&](const Document& d) {
      return setValue(d, onto, "material", Constant(Reference{thing->id, nullptr}));
    });
    return;
  }
  if (thing->kind->family() != "effect")
    return studio.tell(QObject::tr("%1 is a %2: only effects and materials can be dropped onto %3")
                           .arg(qs(thing->name), qs(thing->kind->label).toLower(), qs(on->name)),
                       true);
  const std::vector<std::string> roles = rolesFor(doc, *thing, onto);
  if (roles.empty()) {
    const bool there = std::any_of(thing->kind->params.begin(), thing->kind->params.end(), [&](const ParamDef& d) {
      const auto in = d.type == ParamType::References ? roleOf(doc, *thing, d.name) : std::vector<NodeId>();
      return std::find(in.begin(), in.end(), onto) != in.end();
    });
    return studio.tell(there ? QObject::tr("%1 is in %2 already").arg(qs(on->name), qs(thing->name))
                             : QObject::tr("%1 has no role for %2").arg(qs(thing->name), qs(on->name)),
                       true);
  }
  std::vector<Outcome> outcomes;
  std::vector<std::pair<QString, std::function<Document(const Document&)>>> steps;
  for (const std::string& role : roles) {
    const QString label = qs(thing->kind->param(role)->label);
    outcomes.push_back({QObject::tr("Into %1").arg(label),
                        QObject::tr("%1 joins what is there: one effect, one set of numbers").arg(qs(on->name)),
                        {}});
    steps.emplace_back(
        QObject::tr("Put %1 into %2").arg(qs(on->name), label),
        [id = thing->id, onto, role](const Document& d) { return fillRoles(d, id, {onto}, nullptr, role); });
  }
  outcomes.push_back({QObject::tr("A linked one for it"),
                      QObject::tr("An effect of its own that shares looks and lens with %1").arg(qs(thing->name)),
                      {}});
  steps.emplace_back(
      QObject::tr("Link %1 to %2").arg(qs(thing->name), qs(on->name)),
      [id = thing->id, onto, role = roles.front()](const Document& d) { return linkedEffect(d, id, role, onto); });
  try {
    for (size_t i = 0; i < outcomes.size(); ++i) outcomes[i].doc = steps[i].second(doc);
  } catch (const Error& e) {
    return studio.tell(qs(std::string_view(e.what())), true);
  }
  const int chosen = askByPictures(parent, studio, QObject::tr("%1 on %2").arg(qs(thing->name), qs(on->name)),
                                   QObject::tr("What is meant?"), outcomes);
  if (chosen < 0) return;
  const auto& [step, change] = steps[size_t(chosen)];
  if (studio.edit(step, change)) studio.tell(step);
}

} // namespace ilumbra
