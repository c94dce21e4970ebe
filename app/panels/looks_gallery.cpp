#include "app/panels/looks_gallery.h"

#include "app/theme.h"
#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/display/view.h"
#include "core/lens/develop.h"
#include "core/lens/preset.h"

#include <QDialogButtonBox>
#include <QLabel>
#include <QListWidget>
#include <QPointer>
#include <QPushButton>
#include <QVBoxLayout>

namespace ilumbra {

namespace {

constexpr int wide = 216;

QImage shown(const Picture& p, const ColorViews& views, const std::string& view) {
  const std::vector<float> values = views.exact(p, view);
  QImage image(p.width, p.height, QImage::Format_RGB888);
  for (int y = 0; y < p.height; ++y)
    for (int k = 0; k < 3 * p.width; ++k)
      image.scanLine(y)[k] = uint8_t(values[size_t(3 * p.width * y + k)] * 255 + 0.5f);
  return image;
}

} // namespace

LooksGallery* LooksGallery::ofStage(Studio& studio, NodeId stage, QWidget* parent) {
  const Node& n = *studio.doc().find(stage);
  std::vector<Look> looks;
  for (const StageLook& look : stageOf(n).looks)
    looks.push_back(
        {look.name, [look, stage](const Document& d) { return withLook(d, stage, look); },
         // Of a stage that is off it is drawn all the same.
         [look, stage](const Document& d) { return setValue(withLook(d, stage, look), stage, "on", Constant(true)); }});
  return new LooksGallery(studio, tr("Looks: %1").arg(qs(n.kind->label)),
                          tr("Drawn on the picture as it is. The stage keeps its sources and where it acts."),
                          std::move(looks), parent);
}

LooksGallery::LooksGallery(Studio& studio, const QString& title, const QString& words, std::vector<Look> looks,
                           QWidget* parent)
    : QDialog(parent), m_studio(studio), m_looks(std::make_shared<const std::vector<Look>>(std::move(looks))) {
  setWindowTitle(title);
  auto* column = new QVBoxLayout(this);
  auto* about = new QLabel(words, this);
  about->setStyleSheet(QStringLiteral("color: #9a968f"));
  column->addWidget(about);
  m_list = new QListWidget(this);
  m_list->setViewMode(QListView::IconMode);
  m_list->setMovement(QListView::Static);
  m_list->setResizeMode(QListView::Adjust);
  m_list->setIconSize({wide, wide * 5 / 8});
  m_list->setGridSize({wide + 16, wide * 5 / 8 + 34});
  m_list->setAccessibleName(tr("Looks"));
  const auto add = [&](const QString& name) {
    auto* item = new QListWidgetItem(name, m_list);
    QPixmap blank(wide, wide * 5 / 8);
    blank.fill(QColor(0x0c, 0x0c, 0x0c));
    item->setIcon(blank);
  };
  add(tr("As it is"));
  for (const Look& look : *m_looks) add(qs(look.name));
  // The first look is chosen, so that Return takes it and arrows go on from there.
  m_list->setCurrentRow(std::min(1, m_list->count() - 1));
  column->addWidget(m_list, 1);
  auto* buttons = new QDialogButtonBox(this);
  QPushButton* take = buttons->addButton(tr("Take this look"), QDialogButtonBox::AcceptRole);
  buttons->addButton(QDialogButtonBox::Cancel);
  connect(buttons, &QDialogButtonBox::accepted, this, &LooksGallery::choose);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  connect(m_list, &QListWidget::itemActivated, this, &LooksGallery::choose);
  take->setDefault(true);
  m_list->setFocus();
  column->addWidget(buttons);
  resize(3 * (wide + 16) + 50, 3 * (wide * 5 / 8 + 34) - 40);
  draw();
}

void LooksGallery::draw() {
  const Document doc = m_studio.doc();
  // On the session's thread, which has the film; pictures come one by one.
  m_studio.session().run([self = QPointer<LooksGallery>(this), send = m_studio.sender(), assets = m_studio.assets(),
                          views = m_studio.sharedViews(), looks = m_looks,
                          doc](const Session::State* state, const std::string& why) mutable {
    const auto tell = [&](const std::string& what) {
      send([self, what = qs(what)] {
        if (self) self->m_studio.tell(what, true);
      });
    };
    if (!state) return tell(why);
    const double frame = currentFrame(doc);
    const Scene& scene = state->rendering.scene();
    const FileAssets files = assets.assets(doc.folder(), &state->leaving);
    try {
      const SmallLens small(scene, state->rendering.film(), state->groupScales, exposureFactor(doc, frame), 2 * wide,
                            state->tasks, state->denoiser);
      for (size_t i = 0; i <= looks->size(); ++i) {
        const Document with = i == 0                  ? doc
                              : (*looks)[i - 1].drawn ? (*looks)[i - 1].drawn(doc)
                                                      : (*looks)[i - 1].apply(doc);
        const QImage picture =
            shown(small.develop(with, frame, {.assets = &files, .cancel = &state->leaving, .works = false}).picture,
                  *views, settingsOf(doc).text("view"));
        send([self, i, picture] {
          if (!self) return;
          const QPixmap fit =
              QPixmap::fromImage(picture.scaled(wide, wide * 5 / 8, Qt::KeepAspectRatio, Qt::SmoothTransformation));
          if (QListWidgetItem* item = self->m_list->item(int(i))) item->setIcon(fit);
        });
      }
    } catch (const std::exception& e) {
      tell(e.what());
    }
  });
}

void LooksGallery::choose() {
  const int row = m_list->currentRow();
  if (row > 0) {
    const Look& look = (*m_looks)[size_t(row - 1)];
    m_studio.edit(tr("Look: %1").arg(qs(look.name)), look.apply);
  }
  accept();
}

} // namespace ilumbra
