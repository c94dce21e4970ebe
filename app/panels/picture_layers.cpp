#include "app/panels/picture_layers.h"

#include "app/studio.h"
#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/exchange/assets.h"
#include "core/exchange/picture_layers.h"
#include "core/pattern/playback.h"

#include <filesystem>
#include <fmt/format.h>
#include <QCursor>
#include <QMenu>
#include <QPointer>

namespace ilumbra {

std::vector<const Node*> pictureLayersOf(const Document& doc, NodeId plate) {
  std::vector<const Node*> out;
  for (const Node* n : doc.family("layer"))
    if (Params(*n, 0).reference("of").target == plate) out.push_back(n);
  return out;
}

static void choose(Studio& studio, NodeId plate, const std::vector<std::string>& names, QWidget* parent) {
  const Node* p = studio.doc().find(plate);
  if (!p) return;
  std::set<std::string> taken;
  for (const Node* l : pictureLayersOf(studio.doc(), plate)) taken.insert(Params(*l, 0).text("layer"));
  QMenu m(parent);
  const auto entry = [&](const QString& label, const std::string& name) {
    QAction* a = m.addAction(label);
    a->setData(qs(name));
    a->setEnabled(!taken.count(name));
  };
  for (const std::string& n : names) entry(qs(n), n);
  if (names.empty()) m.addAction(QObject::tr("The file has no layers, masks or Cryptomattes"))->setEnabled(false);
  m.addSeparator();
  entry(QObject::tr("All of the picture"), "");
  const QAction* a = m.exec(QCursor::pos());
  if (!a || !a->data().isValid()) return;
  const std::string layer = a->data().toString().toStdString();
  NodeId made = 0;
  studio.edit(QObject::tr("Add %1 as a source").arg(a->text()), [&](const Document& d) {
    Document out = addNode(d, "layer.picture", layer.empty() ? "All of " + p->name : layer, {}, &made);
    out = setValue(out, made, "of", Constant(Reference{plate, nullptr}));
    return layer.empty() ? out : setValue(out, made, "layer", Constant(layer));
  });
  studio.tell(
      QObject::tr("%1 is a source now: put it into the From of a glow, or the Sources of a lens stage").arg(a->text()));
}

void addPictureLayer(Studio& studio, NodeId plate, QWidget* parent) {
  const Node* n = studio.doc().find(plate);
  if (!n) return;
  const std::string file = Params(*n, studio.frame()).text("file");
  if (file.empty()) return studio.tell(QObject::tr("%1 has no picture yet").arg(qs(n->name)), true);
  if (isMovie(file)) return studio.tell(QObject::tr("%1 is a movie: its pictures have no layers").arg(qs(file)), true);
  const std::filesystem::path path(file);
  const std::string absolute =
      path.is_absolute() ? file : (std::filesystem::path(studio.doc().folder()) / path).string();
  studio.background(QObject::tr("Layers of %1").arg(qs(n->name)),
                    [self = &studio, absolute, plate,
                     over = QPointer<QWidget>(parent)](const CancelFlag& cancel) -> std::function<void()> {
                      return [self, plate, over, names = layerNames(readPicture(absolute, &cancel))] {
                        if (over) choose(*self, plate, names, over);
                      };
                    });
}

} // namespace ilumbra
