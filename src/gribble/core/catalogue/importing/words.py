"""The words by which people head their columns and fill them, in eight languages.

English, German, French, Spanish, Italian, Portuguese, Dutch, Japanese. Words are compared without accents, capitals and
signs. What a word means is a guess that is always shown; the shape of the values comes first.
"""

from __future__ import annotations

import re
import unicodedata

from gribble.core.base.digests import HEX_LENGTHS

HEADS: dict[str, str] = {
    "name": (
        "part, teil, baustein, puce, composant, componente, chipnaam, bios file, bios datei, fichier bios, archivo "
        "bios, file bios, nom fichier, file, rename to, correct name, filename, file name, name of file, name of the "
        "file, rom, rom name, rom file, chip, name, datei, dateiname, name der datei, rom datei, fichier, nom du "
        "fichier, nom de fichier, nom, archivo, nombre de archivo, nombre del archivo, fichero, nombre del fichero, "
        "nombre, nome file, nome del file, nome, arquivo, nome do arquivo, ficheiro, nome do ficheiro, bestand, "
        "bestandsnaam, naam, naam van het bestand, ファイル, ファイル名, 名前"
    ),
    "aliases": (
        "nombre alternativo, nome alternativo, alternatieve naam, 他の名前, alias, aliases, also, alternative name, "
        "alternative names, alternate name, alternate names, other name, other names, also called, also known as, "
        "aka, alternativer name, alternativname, andere namen, anderer name, auch bekannt als, autre nom, autres "
        "noms, otro nombre, otros nombres, altro nome, altri nomi, outro nome, outros nomes, andere naam, 別名, "
        "別ファイル名"
    ),
    "title": (
        "libelle, title, description, desc, called, game, game name, spiel, jeu, juego, gioco, jogo, spel, ゲーム, "
        "what it is, what, contents, content, full name, long name, long, full, name, bezeichnung, beschreibung, "
        "titel, inhalt, titre, designation, contenu, nom complet, nom, descripcion, titulo, contenido, "
        "nombre completo, nombre, descrizione, titolo, contenuto, nome completo, nome, descricao, conteudo, "
        "omschrijving, beschrijving, naam, inhoud, 説明, 名称, タイトル, 題名, 内容, 品名"
    ),
    "machine": (
        "machine, system, console, computer, platform, hardware, device, model, for, maschine, gerat, geraet, "
        "rechner, konsole, plattform, modell, appareil, ordinateur, plateforme, systeme, modele, maquina, sistema, "
        "consola, ordenador, plataforma, modelo, macchina, piattaforma, modello, apparaat, systeem, toestel, 機種, "
        "本体, システム, ハード, 機器"
    ),
    "level": (
        "zwingend, required, required?, requirement, needed, necessity, necessary, mandatory, must have, importance, "
        "erforderlich, notwendig, benotigt, benoetigt, pflicht, notig, noetig, requis, requise, obligatoire, "
        "necessaire, requerido, obligatorio, necesario, richiesto, obbligatorio, necessario, obrigatorio, verplicht, "
        "vereist, nodig, benodigd, 必須, 必要, 要否, 必須か"
    ),
    "unneeded": (
        "wahlfrei, optional, opt, optionnel, facultatif, opcional, opzionale, facoltativo, optioneel, 任意, 省略可"
    ),
    "kind": (
        "genre, タイプ, kind, type, category, sort, art, typ, kategorie, categorie, tipo, categoria, clase, soort, "
        "種類, 種別, 分類, 区分"
    ),
    "why": (
        "needed for, benotigt fur, necessaire pour, why, what for, what it does, purpose, used for, use, zweck, "
        "wofur, wozu, verwendung, utilite, pourquoi, usage, proposito, para que, uso, scopo, perche, a cosa serve, "
        "finalidade, motivo, para que serve, doel, waarom, waarvoor, 用途, 理由, 目的"
    ),
    "folder": (
        "goes in, put in, destination, ziel, zielordner, destino, destinazione, bestemming, folder, directory, path, "
        "location, subfolder, place, goes into, ordner, verzeichnis, pfad, unterordner, ablage, dossier, repertoire, "
        "chemin, emplacement, carpeta, directorio, ruta, ubicacion, cartella, percorso, posizione, pasta, diretorio, "
        "caminho, local, map, pad, locatie, フォルダ, フォルダー, 場所, ディレクトリ, 保存先, 保存場所"
    ),
    "label": (
        "revision, rev, label, edition, ausgabe, auflage, revisione, revisao, edicao, revisie, uitgave, リビジョン, "
        "改訂"
    ),
    "version": "version, ver, fassung, versione, versao, versie, バージョン, 版",
    "region": (
        "region, country, area, territory, land, gebiet, pays, zone, pais, regione, paese, regiao, regio, 地域, 国, "
        "リージョン"
    ),
    "size": (
        "size, kb, kib, mb, bytes, length, file size, size in bytes, grosse, groesse, dateigrosse, umfang, lange, "
        "taille, octets, poids, longueur, tamano, peso, longitud, dimensione, dimensioni, grandezza, lunghezza, "
        "tamanho, comprimento, grootte, omvang, bestandsgrootte, lengte, サイズ, 容量, 大きさ, バイト, バイト数"
    ),
    "set": (
        "set, set name, rom set, romset, game, short name, archive, zip, spiel, kurzname, satz, archiv, jeu, "
        "ensemble, nom court, juego, conjunto, nombre corto, gioco, insieme, nome breve, jogo, nome curto, spel, "
        "korte naam, セット, セット名, ゲーム, 短縮名"
    ),
    "year": (
        "erschienen, sortie, release date, released in, year, built, released, release year, jahr, erscheinungsjahr, "
        "baujahr, annee, ano, anno, jaar, 年, 発売年, 発売, 年度"
    ),
    "maker": (
        "compania, maakt, maker, by, manufacturer, company, publisher, made by, hersteller, firma, fabricant, "
        "constructeur, editeur, societe, fabricante, empresa, editor, produttore, casa, azienda, editora, fabrikant, "
        "maakt door, bedrijf, メーカー, 製造元, 会社"
    ),
    "parent": (
        "parent, parent set, clone of, copy of, based on, of, original, elternset, klon von, variante von, clone de, "
        "parent de, padre, clon de, genitore, clone di, pai, ouder, kloon van, 親, 親セット, 親ゲーム, クローン元"
    ),
    "bios": "bios, bios set, system set, system rom set, bios satz, jeu bios, conjunto bios, bios セット, biosセット",
    "devices": (
        "devices, device, uses, boards, board, gerate, geraete, appareils, peripheriques, dispositivos, dispositivi, "
        "apparaten, デバイス, 装置, 周辺機器"
    ),
    "plays": (
        "plays, state, playable, works, working, runs, emulation, status, spielbar, lauft, laeuft, funktioniert, "
        "zustand, jouable, fonctionne, etat, jugable, funciona, estado, giocabile, funziona, stato, jogavel, "
        "speelbaar, werkt, speelt, toestand, 動作, 動作状況, 状態"
    ),
    "note": (
        "kommentar, commentaire, comentario, commento, comentario, 注, note, notes, remark, remarks, comment, "
        "comments, hinweis, bemerkung, bemerkungen, anmerkung, remarque, remarques, nota, notas, observaciones, "
        "note, osservazioni, observacoes, opmerking, opmerkingen, 備考, 注記, メモ"
    ),
    "state": (
        "dump, dump status, dump state, status, state, condition, zustand, etat, estado, stato, toestand, ダンプ, 状態"
    ),
    "optional": "optional, optionnel, facultatif, opcional, opzionale, facoltativo, optioneel, 任意",
    "parent_name": (
        "parent file, parent name, merge, merged as, in parent, shared with parent, same as, elterndatei, fichier "
        "parent, archivo padre, file genitore, arquivo pai, bronbestand, 親ファイル"
    ),
    "variant": "variant, bios variant, variante, variante bios, variant van bios, バリアント, 変種",
    "choice": "choice, one of, auswahl, choix, eleccion, scelta, escolha, keuze, 選択",
    "crc32": "crc, crc32, crc 32",
    "md5": "md5, md 5",
    "sha1": "sha1, sha 1",
    "sha256": "sha256, sha 256",
    "checked": (
        "checksum, checksums, hash, hashes, digest, digests, prufsumme, prufsummen, pruefsumme, somme de controle, "
        "empreinte, suma de comprobacion, suma, somma di controllo, soma de verificacao, controlegetal, controlesom, "
        "ハッシュ, ハッシュ値, チェックサム"
    ),
}
"""By field, what a column of it is called; `unneeded` is the contrary of `level`, `checked` any digest."""

_YES = "yes, y, true, x, 1, ja, oui, si, sim, はい, ○, ◯, ✓, ✔, ✅, ●"
_NO = "no, n, false, 0, nein, non, nao, nee, いいえ, ×, ✗, ✘, ❌"

MEANINGS: dict[str, dict[str, str]] = {
    "yes or no": {"yes": _YES, "no": _NO},
    "level": {
        "must": (
            "must have, required, mandatory, must, needed, necessary, essential, obligatory, yes required, pflicht, "
            "erforderlich, notwendig, benotigt, zwingend, requis, requise, obligatoire, necessaire, indispensable, "
            "requerido, requerida, obligatorio, obligatoria, necesario, necesaria, imprescindible, richiesto, "
            "richiesta, obbligatorio, obbligatoria, necessario, necessaria, indispensabile, obrigatorio, "
            "obrigatoria, indispensavel, verplicht, vereist, nodig, noodzakelijk, 必須, 必要"
        ),
        "better": (
            "recommended, better, advised, empfohlen, recommande, recommandee, conseille, recomendado, recomendada, "
            "aconsejado, consigliato, consigliata, raccomandato, raccomandata, aanbevolen, aangeraden, 推奨"
        ),
        "extra": (
            "optional, extra, not required, not needed, nice to have, nicht notig, nicht erforderlich, freiwillig, "
            "wahlweise, optionnel, optionnelle, facultatif, facultative, opcional, no necesario, opzionale, "
            "facoltativo, facoltativa, desnecessario, optioneel, niet nodig, niet vereist, 任意, 不要, 省略可"
        ),
    },
    "kind": {
        "bios": (
            "start rom, bios, boot, boot rom, bootrom, system rom, startrom, rom de demarrage, rom de arranque, rom "
            "di avvio, opstartrom, 起動rom, ブートrom"
        ),
        "firmware": "firmware, micrologiciel, ファームウェア",
        "keys": (
            "keys, key, key file, schlussel, schlusseldatei, cle, cles, fichier de cles, clave, claves, chiave, "
            "chiavi, chave, chaves, sleutel, sleutels, 鍵, キー, 鍵ファイル"
        ),
        "image": (
            "image, disk image, hard disk, abbild, festplatte, image disque, disque dur, imagen, imagen de disco, "
            "disco duro, immagine, immagine disco, imagem, imagem de disco, schijfkopie, 画像, イメージ, "
            "ディスクイメージ"
        ),
        "data": (
            "data, font, sound, daten, schrift, zeichensatz, donnees, police, datos, fuente, dati, dados, gegevens, "
            "lettertype, データ, フォント"
        ),
    },
    "set kind": {
        "bios": "bios, system, bios set, 起動, システム",
        "device": (
            "device, board, gerat, platine, appareil, carte, dispositivo, placa, scheda, apparaat, 装置, デバイス, 基板"
        ),
        "game": "game, arcade, set, parent, clone, spiel, jeu, juego, gioco, jogo, spel, ゲーム",
    },
    "plays": {
        "yes": (
            "yes, works, working, good, perfect, playable, fine, ok, ja, gut, lauft, perfekt, spielbar, oui, bon, "
            "parfait, fonctionne, jouable, si, bien, bueno, perfecto, funciona, jugable, buono, perfetto, funziona, "
            "giocabile, sim, bom, perfeito, jogavel, goed, perfect, werkt, speelbaar, 良好, 完全, 動作, はい, ○"
        ),
        "flawed": (
            "mostly, minor problems, flawed, imperfect, partly, partial, glitches, some problems, fehlerhaft, mit "
            "fehlern, teilweise, mangelhaft, imparfait, partiel, avec defauts, imperfecto, parcial, con fallos, "
            "imperfetto, parziale, con difetti, imperfeito, com falhas, gebrekkig, gedeeltelijk, met fouten, 不完全, "
            "一部, △"
        ),
        "no": (
            "no, broken, not working, does not work, unplayable, bad, nein, defekt, lauft nicht, geht nicht, "
            "unspielbar, non, casse, ne fonctionne pas, injouable, roto, no funciona, rotto, non funziona, nao, "
            "quebrado, nao funciona, nee, kapot, werkt niet, 不可, 動作せず, いいえ, ×"
        ),
    },
    "state": {
        "good": (
            "good, verified, ok, fine, proven, gut, gepruft, bon, verifie, bueno, verificado, buono, verificato, "
            "bom, goed, 良好, 確認済"
        ),
        "undumped": (
            "manquant, undumped, no dump, not dumped, missing, nobody has it, fehlt, nicht ausgelesen, absent, non "
            "lu, falta, sin volcar, mancante, faltando, ontbreekt, 未吸出し, 欠品"
        ),
        "suspect": (
            "suspect, bad dump, bad, poor, doubtful, schlecht, fraglich, verdachtig, mauvais, douteux, malo, dudoso, "
            "cattivo, dubbio, ruim, duvidoso, slecht, twijfelachtig, 不良, 疑わしい"
        ),
    },
}
"""By what a column holds, what stands for each word of ours."""

_STOP = (
    "index download export untitled copy main default emulator emulators documentation manual guide faq setup core "
    "book workbook mappe classeur libro bios rom roms firmware system systems files file list lists required "
    "needed sets set roster checksums checksum md5 sha1 crc crc32 sha256 table page the of for and with a all your "
    "dateien datei liste tabelle systemdateien fichiers fichier systeme necessaires requis pour les des du de la "
    "archivos archivo lista necesarios sistema para los del file necessari per i di arquivos ficheiros necessarios "
    "bestanden lijst benodigde voor export games game machines wiki requirements overview hashes ファイル 一覧 "
    "必要な bioses data info table1 sheet1 hilfe help documentation docs erforderliche benotigte fur"
)
STOP_WORDS = frozenset(_STOP.split())
"""Words in a title or a file's name that are no emulator's name."""


def plain(text: str) -> str:
    """A text without accents, capitals and signs."""
    shown = unicodedata.normalize("NFKD", text.casefold().replace("ß", "ss"))
    shown = "".join(sign for sign in shown if not unicodedata.combining(sign) or sign in "\u3099\u309a")
    shown = unicodedata.normalize("NFKC", shown)
    shown = re.sub(r"[^\w○◯✓✔✅●×✗✘❌△]+|_", " ", shown)
    return " ".join(shown.split()) or text.strip().casefold()


def _phrases(text: str) -> frozenset[str]:
    return frozenset(plain(one) for one in text.split(", "))


_HEADS = {field: _phrases(text) for field, text in HEADS.items()}
_MEANINGS = {
    what: {phrase: word for word, text in words.items() for phrase in _phrases(text)}
    for what, words in MEANINGS.items()
}


def head_points(head: str, field: str) -> int:
    """How surely a column's name names a field: 3 where it is its name, 2 where it has it among other words, else 0."""
    shown = plain(re.sub(r"[(\[].*?[)\]]", " ", head)) or plain(head)
    whole = plain(re.sub(r"(?<=[a-z])(?=[A-Z])", " ", head))
    if _HEADS[field] & {shown, whole, shown.replace(" ", "")}:
        return 3
    words = whole.split()
    spans = {" ".join(words[at:end]) for at in range(len(words)) for end in range(at + 1, len(words) + 1)}
    asian = any(ord(sign) > 0x2E7F for sign in head) and any(
        one in shown for one in _HEADS[field] if len(one) > 1 and ord(one[0]) > 0x2E7F
    )
    least = 3 if field in HEX_LENGTHS else 4  # short words stand in too many heads
    return 2 if spans & {one for one in _HEADS[field] if len(one) >= least} or asian else 0


def meaning(text: str, what: str) -> str:
    """The word of ours that a word stands for; empty where none does."""
    return _MEANINGS[what].get(plain(text), "")
